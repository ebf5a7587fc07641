package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.TreeSet;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline.StageOutline;

/** Every attempt of a run, with when and where it ran and what it did; what {@link RunProgress} adds up, one by one. Used by one thread. */
public final class RunHistory implements RunListener {

    /** An attempt that began, in milliseconds since 1970; it ends when it fails, or is stopped, as well. */
    record Span(AttemptId attempt, String worker, long begin, long end) {
        long millis() {
            return end - begin;
        }
    }

    /**
     * An attempt that succeeded.
     *
     * @param worker null in a process without workers
     * @param input what it read, in words
     */
    record Ran(Span span, int slot, String input, Map<Integer, StepMetrics> steps, AttemptUse use) {
        long millis() {
            return span.millis();
        }

        String worker() {
            return span.worker();
        }

        StepMetrics step(int id) {
            return steps.getOrDefault(id, StepMetrics.NONE);
        }
    }

    /** An attempt that failed. */
    record Failed(Span span, String reason) {}

    /** What ran of a stage: of each task the attempt that counts. */
    static final class StageHistory {
        private final int id;
        private int tasks;
        private final Map<Integer, Ran> ran = new TreeMap<>();
        /** What all tasks did in each step; null until somebody asks after one has ended. */
        private Map<Integer, StepMetrics> steps;

        StageHistory(int id) {
            this.id = id;
        }

        int id() {
            return id;
        }

        /** How many tasks it was divided into. */
        int tasks() {
            return tasks;
        }

        Collection<Ran> ran() {
            return ran.values();
        }

        long taskMillis() {
            return ran.values().stream().mapToLong(Ran::millis).sum();
        }

        /** What its tasks did in a step, all together. */
        StepMetrics step(int node) {
            if (steps == null) {
                steps = new HashMap<>();
                ran.values().forEach(one -> one.steps().forEach((id, m) -> steps.merge(id, m, StepMetrics::plus)));
            }
            return steps.getOrDefault(node, StepMetrics.NONE);
        }

        private void ran(int task, Ran attempt) {
            ran.put(task, attempt);
            steps = null;
        }
    }

    private record Begun(long at, String worker, int slot, String input) {}

    private final RunProgress progress = new RunProgress();
    private final Map<Integer, StageHistory> stages = new TreeMap<>();
    private final Map<AttemptId, Begun> begun = new HashMap<>();
    private final List<Span> spans = new ArrayList<>();
    private final List<Failed> failed = new ArrayList<>();
    private final Map<String, Integer> workers = new TreeMap<>();
    private final Map<Integer, RunEvent.PartsMade> parts = new HashMap<>();
    private final TreeSet<Integer> slots = new TreeSet<>();
    private final Map<String, String> settings = new TreeMap<>();
    private final Map<Integer, StageOutline> outlines = new HashMap<>();
    private int ownSlots;
    private long start;
    private long last;

    @Override
    public void happened(RunEvent event) {
        progress.happened(event);
        last = Math.max(last, event.at());
        switch (event) {
            case RunEvent.RunStarted e -> {
                start = e.at();
                ownSlots = e.slots();
                settings.putAll(e.settings());
                e.plan().stages().forEach(stage -> {
                    if (stage.pipelines().isEmpty()) {
                        throw new IllegalArgumentException("stage " + stage.id() + " does nothing");
                    }
                    outlines.put(stage.id(), stage);
                });
            }
            case RunEvent.StageStarted e -> of(e.stage()).tasks = e.tasks();
            case RunEvent.AttemptStarted e ->
                begun.put(e.attempt(), new Begun(e.at(), e.worker(), e.slot(), e.input()));
            case RunEvent.AttemptFinished e -> finished(e);
            case RunEvent.AttemptFailed e -> {
                Span span = ended(e.attempt(), e.at(), 0);
                failed.add(new Failed(span, e.reason()));
            }
            case RunEvent.AttemptStopped e -> ended(e.attempt(), e.at(), 0);
            case RunEvent.PartsMade e -> parts.put(e.stage(), e);
            case RunEvent.WorkerJoined e -> workers.put(e.worker(), e.slots());
            default -> {
                // the rest is for the progress
            }
        }
    }

    private void finished(RunEvent.AttemptFinished e) {
        Begun known = begun.get(e.attempt());
        Span span = ended(e.attempt(), e.at(), e.use().nanos() / 1_000_000);
        slots.add(e.slot());
        of(e.attempt().stage())
                .ran(e.attempt().task(), new Ran(span, e.slot(), known == null ? "" : known.input, e.steps(), e.use()));
    }

    /** An attempt on a worker is told before it has a slot there; what it took says when it really began. */
    private Span ended(AttemptId attempt, long end, long tookMillis) {
        Begun known = begun.remove(attempt);
        long told = known == null ? end : known.at;
        long begin = tookMillis == 0 ? told : Math.max(told, end - tookMillis);
        if (begin > end) {
            throw new IllegalArgumentException(attempt + " ended before it began");
        }
        Span span = new Span(attempt, known == null ? null : known.worker, begin, end);
        spans.add(span);
        return span;
    }

    private StageHistory of(int stage) {
        if (!outlines.containsKey(stage)) {
            throw new IllegalArgumentException("the plan has no stage " + stage);
        }
        return stages.computeIfAbsent(stage, StageHistory::new);
    }

    /** What its events add up to. */
    public RunProgress progress() {
        return progress;
    }

    Collection<StageHistory> stages() {
        return stages.values();
    }

    /** The stage as the plan has it. */
    StageOutline outline(StageHistory stage) {
        return outlines.get(stage.id());
    }

    /** What a stage has divided its rows into; empty where it has not, or the record is of an earlier version. */
    Optional<RunEvent.PartsMade> parts(int stage) {
        return Optional.ofNullable(parts.get(stage));
    }

    List<Span> spans() {
        return spans;
    }

    /** The settings that it ran under. */
    Map<String, String> settings() {
        return settings;
    }

    List<Failed> failed() {
        return failed;
    }

    /** From its start to its end, or to what is known of it last. */
    public long millis() {
        return Math.max(1, (progress.isEnded() ? start + progress.millis() : last) - start);
    }

    /** When it began, in milliseconds since 1970. */
    public long start() {
        return start;
    }

    /** Tasks that have a result. */
    public long tasksDone() {
        return stages.values().stream().mapToLong(s -> s.ran.size()).sum();
    }

    /** How many attempts could run at the same time: the slots of all workers that came, or those of the process. */
    int slots() {
        int offered = workers.values().stream().mapToInt(Integer::intValue).sum();
        int used = slots.isEmpty() ? 1 : slots.last() + 1;
        return offered > 0 ? offered : Math.max(ownSlots, used);
    }

    /** The slots of each worker, or of the process. */
    Map<String, Integer> slotsByWorker() {
        return workers.isEmpty() ? Map.of("", slots()) : workers;
    }
}
