package org.unimeros.engine.run;

import java.util.List;
import java.util.Map;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline;

/** What happened in a run, in the order in which it happened. {@code at} is milliseconds since 1970. */
public sealed interface RunEvent {

    long at();

    /**
     * The run begins.
     *
     * @param settings that it runs under
     * @param slots of the process that carries it out; 0 where workers do, which tell theirs as they join
     */
    record RunStarted(long at, String runId, String title, PlanOutline plan, Map<String, String> settings, int slots)
            implements RunEvent {}

    /** The line of the program that asked for the run, as it stands in a stack trace; commands have none. */
    record Asked(long at, String line) implements RunEvent {}

    /** @param decisions what was decided of it from what earlier stages made, in words */
    record StageStarted(long at, int stage, int tasks, List<String> decisions) implements RunEvent {
        public StageStarted {
            decisions = List.copyOf(decisions);
        }

        public StageStarted(long at, int stage, int tasks) {
            this(at, stage, tasks, List.of());
        }
    }

    /** @param worker who runs it; null in a process without workers */
    record AttemptStarted(long at, AttemptId attempt, String worker, int slot, String input) implements RunEvent {
        public AttemptStarted(long at, AttemptId attempt, int slot, String input) {
            this(at, attempt, null, slot, input);
        }
    }

    /** An attempt that succeeded, with the figures of its steps and what it took. */
    record AttemptFinished(
            long at, AttemptId attempt, int slot, long rows, Map<Integer, StepMetrics> steps, AttemptUse use)
            implements RunEvent {}

    record AttemptFailed(long at, AttemptId attempt, int slot, String reason) implements RunEvent {}

    /** An attempt whose result is not needed, since another one was first or nobody wants it. */
    record AttemptStopped(long at, AttemptId attempt, int slot) implements RunEvent {}

    /**
     * What a finished stage has divided its rows into.
     *
     * @param rows of each part
     * @param bytes of each part
     * @param keys those that came most often, where they were looked at, the most frequent first
     */
    record PartsMade(long at, int stage, List<Long> rows, List<Long> bytes, List<KeyCount> keys) implements RunEvent {
        public PartsMade {
            rows = List.copyOf(rows);
            bytes = List.copyOf(bytes);
            keys = List.copyOf(keys);
        }
    }

    /** A key as it reads, and how many rows at least have it. */
    record KeyCount(String key, long rows) {}

    record StageFinished(long at, int stage) implements RunEvent {}

    /** Results of a finished stage were lost and are made again. */
    record StageReopened(long at, int stage) implements RunEvent {}

    record WorkerJoined(long at, String worker, int slots) implements RunEvent {}

    record WorkerLost(long at, String worker, String reason) implements RunEvent {
        /** The reason of one that was asked to leave, or wanted to. */
        public static final String LEFT = "it left";

        /** Whether it went by its own will, so that others could take over what it had made. */
        public boolean hasLeft() {
            return LEFT.equals(reason);
        }
    }

    record Warning(long at, String message) implements RunEvent {}

    /** Lines that an attempt wrote to its standard output or error output; the worker is null for one in the process that asked for the run. */
    record Printed(long at, AttemptId attempt, String worker, List<String> lines) implements RunEvent {}

    /** Records that could not be read and were left out. */
    record RecordsSkipped(long at, long count, List<String> examples, String keptIn) implements RunEvent {}

    /** What the code of the job has counted, by group and name; each task once. */
    record Counted(long at, Map<String, Map<String, Long>> counters) implements RunEvent {}

    /**
     * The run is over.
     *
     * @param state done, failed or cancelled
     * @param reason why it failed, else null
     */
    record RunEnded(long at, String state, String reason, long rows, long bytes, int files) implements RunEvent {}
}
