package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.Sizes;

/**
 * How far a run is, or how it went: what its events add up to. Whoever shows runs, while they go on or afterwards, asks this. Used by one thread.
 */
public final class RunProgress implements RunListener {

    /** The state of a run whose end is not known. */
    public static final String UNFINISHED = "unfinished";

    /** What is known of a stage. */
    public static final class StageProgress {
        private int tasks;
        private int finished;
        private int failed;
        private int stopped;
        private long startMillis = -1;
        private long endMillis = -1;
        private long slowestMillis;
        private long taskMillis;
        private List<String> decisions = List.of();

        /** What was decided of it from what earlier stages made. */
        public List<String> decisions() {
            return decisions;
        }

        /** How many tasks it has; those that a limit makes needless are among them. */
        public int tasks() {
            return tasks;
        }

        /** Attempts that succeeded; more than tasks where results were lost and made again. */
        public int finished() {
            return finished;
        }

        public int failed() {
            return failed;
        }

        /** Attempts on workers whose result was not needed. */
        public int stopped() {
            return stopped;
        }

        public boolean isFinished() {
            return endMillis >= 0;
        }

        /** From the start to the end, once it is finished. */
        public long millis() {
            return endMillis - startMillis;
        }

        /** How long the slowest attempt that succeeded took. */
        public long slowestMillis() {
            return slowestMillis;
        }

        /** How long all attempts that succeeded took together. */
        public long taskMillis() {
            return taskMillis;
        }
    }

    private record Task(int stage, int number) {
        Task(AttemptId attempt) {
            this(attempt.stage(), attempt.task());
        }
    }

    /** An attempt that runs; the worker is null in one process. */
    private record Begun(long at, String worker) {}

    private String run = "";
    private String title = "";
    private String asked = "";
    private String state = UNFINISHED;
    private String reason;
    private long startMillis;
    private long endMillis;
    private long rows;
    private long bytes;
    private long files;
    private long skippedRecords;
    private PlanOutline plan = new PlanOutline(List.of());
    private final Map<Integer, StepMetrics> steps = new LinkedHashMap<>();
    private final Map<Integer, StageProgress> stages = new LinkedHashMap<>();
    private final Map<AttemptId, Begun> running = new HashMap<>();
    private final Map<Task, Map<Integer, StepMetrics>> taskSteps = new HashMap<>();
    private final List<String> warnings = new ArrayList<>();
    private final List<String> lostWorkers = new ArrayList<>();
    private final Map<String, Map<String, Long>> counters = new LinkedHashMap<>();
    private int workers;
    private int current;
    private int mostRunning;

    @Override
    public void happened(RunEvent event) {
        switch (event) {
            case RunEvent.RunStarted e -> {
                run = e.runId();
                title = e.title();
                plan = e.plan();
                startMillis = e.at();
            }
            case RunEvent.Asked e -> asked = e.line();
            case RunEvent.StageStarted e -> {
                StageProgress stage = begun(e.stage());
                stage.tasks = e.tasks();
                stage.decisions = e.decisions();
                stage.startMillis = e.at();
            }
            case RunEvent.AttemptStarted e -> {
                running.put(e.attempt(), new Begun(e.at(), e.worker()));
                mostRunning = Math.max(mostRunning, running.size());
            }
            case RunEvent.AttemptFinished e -> finished(e);
            case RunEvent.AttemptFailed e -> {
                running.remove(e.attempt());
                of(e.attempt().stage()).failed++;
            }
            // In one process it is only the tasks that a limit makes needless.
            case RunEvent.AttemptStopped e -> {
                running.remove(e.attempt());
                of(e.attempt().stage()).stopped += workers > 0 ? 1 : 0;
            }
            case RunEvent.PartsMade e -> {
                // rows of parts are those of tasks that were counted already
            }
            case RunEvent.StageFinished e -> of(e.stage()).endMillis = e.at();
            // Its time goes on until it is finished another time.
            case RunEvent.StageReopened e -> begun(e.stage()).endMillis = -1;
            case RunEvent.WorkerJoined e -> workers++;
            case RunEvent.WorkerLost e -> {
                lostWorkers.add("worker " + e.worker() + " was lost: " + e.reason());
                running.values().removeIf(begun -> e.worker().equals(begun.worker));
            }
            case RunEvent.Warning e -> warnings.add(e.message());
            case RunEvent.Printed e -> {
                // lines of the job's code say nothing of the run
            }
            case RunEvent.RecordsSkipped e -> {
                skippedRecords = e.count();
                warnings.add(Sizes.count(e.count(), "bad record") + " left out"
                        + (e.keptIn() == null ? "" : " and kept in " + e.keptIn()) + ", such as: "
                        + e.examples().get(0));
            }
            case RunEvent.Counted e -> counters.putAll(e.counters());
            case RunEvent.RunEnded e -> {
                endMillis = e.at();
                state = e.state();
                reason = e.reason();
                rows = e.rows();
                bytes = e.bytes();
                files = e.files();
            }
        }
    }

    private void finished(RunEvent.AttemptFinished e) {
        StageProgress stage = begun(e.attempt().stage());
        stage.finished++;
        Begun start = running.remove(e.attempt());
        long took = start == null ? 0 : e.at() - start.at;
        stage.slowestMillis = Math.max(stage.slowestMillis, took);
        stage.taskMillis += took;
        if (workers > 0) {
            // What was lost with a worker and made again counts once.
            Map<Integer, StepMetrics> before = taskSteps.put(new Task(e.attempt()), e.steps());
            if (before != null) {
                before.forEach((id, m) -> steps.merge(id, m, StepMetrics::minus));
            }
        }
        e.steps().forEach((id, m) -> steps.merge(id, m, StepMetrics::plus));
    }

    private StageProgress of(int stage) {
        return stages.computeIfAbsent(stage, id -> new StageProgress());
    }

    private StageProgress begun(int stage) {
        current = stage;
        return of(stage);
    }

    public String run() {
        return run;
    }

    public String title() {
        return title;
    }

    /** The line of the program that asked for it; empty where that is not known. */
    public String asked() {
        return asked;
    }

    /** done, failed, cancelled or {@link #UNFINISHED}. */
    public String state() {
        return state;
    }

    /** Why it failed or was cancelled, else null. */
    public String reason() {
        return reason;
    }

    public boolean isEnded() {
        return endMillis > 0;
    }

    /** From the start to the end, once it is over. */
    public long millis() {
        return endMillis - startMillis;
    }

    /** Rows of the result, once it is over. */
    public long rows() {
        return rows;
    }

    /** Bytes that were written, once it is over. */
    public long bytes() {
        return bytes;
    }

    /** Files that were written, once it is over. */
    public long files() {
        return files;
    }

    /** Bad records that were left out. */
    public long skippedRecords() {
        return skippedRecords;
    }

    public PlanOutline plan() {
        return plan;
    }

    /** What is known of a stage; null before it begins. */
    public StageProgress stage(int id) {
        return stages.get(id);
    }

    /** The stage of which something was heard last; 0 for none. */
    public int currentStage() {
        return current;
    }

    /** Attempts of a stage that run. */
    public int running(int stage) {
        return (int) running.keySet().stream()
                .filter(attempt -> attempt.stage() == stage)
                .count();
    }

    /** How many attempts ran at the same time, at most. */
    public int mostRunning() {
        return mostRunning;
    }

    /** How many stages are finished. */
    public int stagesFinished() {
        return (int) stages.values().stream().filter(StageProgress::isFinished).count();
    }

    /** What was measured for a step, all tasks together; null where nothing was. */
    public StepMetrics step(int id) {
        return steps.get(id);
    }

    /** Rows and bytes that all sources have read. */
    public StepMetrics read() {
        StepMetrics all = StepMetrics.NONE;
        for (PlanOutline.StageOutline stage : plan.stages()) {
            for (PlanOutline.PipelineOutline pipeline : stage.pipelines()) {
                all = all.plus(steps.getOrDefault(pipeline.source().id(), StepMetrics.NONE));
            }
        }
        return all;
    }

    /** How many workers joined; 0 for a run in one process. */
    public int workers() {
        return workers;
    }

    public List<String> lostWorkers() {
        return Collections.unmodifiableList(lostWorkers);
    }

    public List<String> warnings() {
        return Collections.unmodifiableList(warnings);
    }

    /** What the job's own code has counted, by group and name. */
    public Map<String, Map<String, Long>> counters() {
        return Collections.unmodifiableMap(counters);
    }
}
