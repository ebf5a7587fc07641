package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Stream;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline.StageOutline;

/** Every attempt of a run, with when and where it ran and what it did; what {@link RunProgress} adds up, one by one. Used by one thread. */
public final class RunHistory implements RunListener {

    /** How an attempt ended. */
    public enum Outcome {
        DONE,
        FAILED,
        STOPPED,
        RUNNING
    }

    /**
     * An attempt that began, in milliseconds since 1970.
     *
     * @param worker null in a process without workers
     * @param end when it was done, failed or was stopped; for one that is running, what is known of the run last
     */
    public record Span(AttemptId attempt, String worker, int slot, long begin, long end, Outcome outcome) {
        public long millis() {
            return end - begin;
        }
    }

    /** A worker that came, and how it went; {@code lost} is -1, and {@code reason} null, of one that did not. */
    public record Worker(String name, int slots, long joined, long lost, String reason) {}

    /**
     * An attempt that succeeded.
     *
     * @param input what it read, in words
     */
    public record Ran(Span span, String input, Map<Integer, StepMetrics> steps, AttemptUse use) {
        public long millis() {
            return span.millis();
        }

        String worker() {
            return span.worker();
        }

        public StepMetrics step(int id) {
            return steps.getOrDefault(id, StepMetrics.NONE);
        }
    }

    /** An attempt that failed. */
    public record Failed(Span span, String reason) {}

    /** What ran of a stage: of each task the attempt that counts. */
    public static final class StageHistory {
        private final int id;
        private int tasks;
        private final Map<Integer, Ran> ran = new TreeMap<>();
        private final List<Ran> madeAgain = new ArrayList<>();
        /** What all tasks did in each step; null until somebody asks after one has ended. */
        private Map<Integer, StepMetrics> steps;

        StageHistory(int id) {
            this.id = id;
        }

        public int id() {
            return id;
        }

        /** How many tasks it was divided into. */
        public int tasks() {
            return tasks;
        }

        public Collection<Ran> ran() {
            return ran.values();
        }

        /** Attempts that succeeded, and whose results were lost and made again. */
        public List<Ran> madeAgain() {
            return madeAgain;
        }

        long taskMillis() {
            return ran.values().stream().mapToLong(Ran::millis).sum();
        }

        /** What its tasks did in a step, all together. */
        public StepMetrics step(int node) {
            if (steps == null) {
                steps = new HashMap<>();
                ran.values().forEach(one -> one.steps().forEach((id, m) -> steps.merge(id, m, StepMetrics::plus)));
            }
            return steps.getOrDefault(node, StepMetrics.NONE);
        }

        private void ran(int task, Ran attempt) {
            Ran before = ran.put(task, attempt);
            if (before != null) {
                madeAgain.add(before);
            }
            steps = null;
        }
    }

    private record Begun(long at, String worker, int slot, String input) {}

    private final RunProgress progress = new RunProgress();
    private final Map<Integer, StageHistory> stages = new TreeMap<>();
    private final Map<AttemptId, Begun> begun = new HashMap<>();
    private final List<Span> spans = new ArrayList<>();
    private final List<Failed> failed = new ArrayList<>();
    private final Map<String, Worker> workers = new TreeMap<>();
    private final Map<Integer, RunEvent.PartsMade> parts = new HashMap<>();
    private final TreeSet<Integer> slots = new TreeSet<>();
    private final Map<String, String> settings = new TreeMap<>();
    private final Map<Integer, StageOutline> outlines = new HashMap<>();
    private int ownSlots;
    private long start;
    private long last;

    /** It goes on until a time at least, although nothing has happened since. */
    public void goesOnUntil(long at) {
        if (!progress.isEnded()) {
            last = Math.max(last, at);
        }
    }

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
                Span span = ended(e.attempt(), e.slot(), e.at(), 0, Outcome.FAILED);
                failed.add(new Failed(span, e.reason()));
            }
            case RunEvent.AttemptStopped e -> ended(e.attempt(), e.slot(), e.at(), 0, Outcome.STOPPED);
            case RunEvent.PartsMade e -> parts.put(e.stage(), e);
            case RunEvent.WorkerJoined e ->
                workers.put(e.worker(), new Worker(e.worker(), e.slots(), e.at(), -1, null));
            case RunEvent.WorkerLost e ->
                workers.computeIfPresent(
                        e.worker(), (name, w) -> new Worker(name, w.slots, w.joined, e.at(), e.reason()));
            default -> {
                // the rest is for the progress
            }
        }
    }

    private void finished(RunEvent.AttemptFinished e) {
        Begun known = begun.get(e.attempt());
        Span span = ended(e.attempt(), e.slot(), e.at(), e.use().nanos() / 1_000_000, Outcome.DONE);
        slots.add(e.slot());
        of(e.attempt().stage())
                .ran(e.attempt().task(), new Ran(span, known == null ? "" : known.input, e.steps(), e.use()));
    }

    /** An attempt on a worker is told before it has a slot there; what it took says when it really began. */
    private Span ended(AttemptId attempt, int slot, long end, long tookMillis, Outcome outcome) {
        Begun known = begun.remove(attempt);
        long told = known == null ? end : known.at;
        long begin = tookMillis == 0 ? told : Math.max(told, end - tookMillis);
        if (begin > end) {
            throw new IllegalArgumentException(attempt + " ended before it began");
        }
        Span span = new Span(attempt, known == null ? null : known.worker, slot, begin, end, outcome);
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

    /** The stages that have begun, by their numbers. */
    public Collection<StageHistory> stages() {
        return stages.values();
    }

    /** The stage as the plan has it. */
    public StageOutline outline(StageHistory stage) {
        return outlines.get(stage.id());
    }

    /** What a stage has divided its rows into; empty where it has not, or the record is of an earlier version. */
    public Optional<RunEvent.PartsMade> parts(int stage) {
        return Optional.ofNullable(parts.get(stage));
    }

    /** Attempts that have ended. */
    List<Span> spans() {
        return spans;
    }

    /** Attempts that failed, were stopped, or have not ended as far as is known. */
    public List<Span> others() {
        List<Span> others = new ArrayList<>();
        spans.stream().filter(s -> s.outcome() != Outcome.DONE).forEach(others::add);
        others.addAll(running());
        return others;
    }

    /** When the first attempt of a stage began. */
    public OptionalLong begins(int stage) {
        return spans(stage).mapToLong(Span::begin).min();
    }

    /** When the last attempt of a stage ended, or, where some are running, what is known last. */
    public OptionalLong ends(int stage) {
        return spans(stage).mapToLong(Span::end).max();
    }

    private Stream<Span> spans(int stage) {
        return Stream.concat(spans.stream(), running().stream())
                .filter(s -> s.attempt().stage() == stage);
    }

    private List<Span> running() {
        return begun.entrySet().stream()
                .map(b -> new Span(
                        b.getKey(), b.getValue().worker, b.getValue().slot, b.getValue().at, last, Outcome.RUNNING))
                .toList();
    }

    /** The workers that came, by name; none in a process without workers. */
    public Collection<Worker> workers() {
        return workers.values();
    }

    /** The settings that it ran under. */
    public Map<String, String> settings() {
        return settings;
    }

    /** The attempts that failed, in their order. */
    public List<Failed> failed() {
        return failed;
    }

    /** Whether something ended it before it was done. */
    boolean hasFailed() {
        return progress.reason() != null;
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
    public int slots() {
        int offered = workers.values().stream().mapToInt(Worker::slots).sum();
        int used = slots.isEmpty() ? 1 : slots.last() + 1;
        return offered > 0 ? offered : Math.max(ownSlots, used);
    }

    /** The slots of each worker, or of the process. */
    Map<String, Integer> slotsByWorker() {
        Map<String, Integer> slotsOf = new TreeMap<>();
        workers.values().forEach(w -> slotsOf.put(w.name, w.slots));
        return slotsOf.isEmpty() ? Map.of("", slots()) : slotsOf;
    }
}
