package org.unimeros.cluster.wire;

import com.fasterxml.jackson.annotation.JsonIgnore;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.schedule.AttemptId;

/** What processes tell each other, apart from {@link Order}s. */
public final class Messages {

    private Messages() {}

    /**
     * A worker offers itself.
     *
     * @param url where others reach it
     * @param programs how many main programs of jobs it launches at the same time
     */
    public record Offer(String url, int slots, int programs, String version, String host, long pid) {}

    /**
     * It was taken.
     *
     * @param worker its name from now on
     * @param patienceMillis unheard of for so long, it counts as lost
     */
    public record Accepted(String worker, long patienceMillis) {}

    /** Orders for a worker, after those it has; {@code last} is the number of the last one. */
    public record Orders(List<Order> orders, long last) {}

    /** How an attempt went. */
    public enum Outcome {
        SUCCEEDED,
        FAILED,
        /** It could not read what {@code producer} had made. */
        INPUT_LOST
    }

    /**
     * A report of an attempt; it can be sent again.
     *
     * @param result a {@link TaskReport} as {@link PlanCodec} writes it, of one that succeeded
     * @param failure of one that did not
     */
    public record Report(
            String run,
            AttemptId attempt,
            Outcome outcome,
            byte[] result,
            Failure failure,
            boolean again,
            AttemptId producer,
            List<String> warnings) {}

    /**
     * A run that a client asks for. The settings are shown, those that count are in the plan.
     *
     * @param job the job that it belongs to; null for none
     * @param held whether its rows stay on the workers for repeated questions, until they are released
     * @param asked the line of the program that asked for it; null for none
     */
    public record Submission(
            String id,
            String title,
            Map<String, String> settings,
            byte[] plan,
            String job,
            boolean held,
            String asked) {

        public Submission(String id, String title, Map<String, String> settings, byte[] plan, String job) {
            this(id, title, settings, plan, job, false, null);
        }
    }

    /** What a client hears of its run. {@code next} is the number of the event that comes next. */
    public record Events(List<RunEvent> events, int next, RunView run) {}

    /** Where a run stands. */
    public enum RunState {
        RUNNING,
        /** All rows of the result are there, on workers. */
        RESULT_READY,
        /** The same, and there they stay for repeated questions, until they are released. */
        HELD,
        DONE,
        FAILED,
        CANCELLED;

        /** Whether nothing more happens. */
        public boolean isEnded() {
            return this != RUNNING && this != RESULT_READY && this != HELD;
        }
    }

    /**
     * A run as it is shown.
     *
     * @param job the job that it belongs to; null for none
     * @param counters what the job's own code has counted, by group and name
     * @param resultVersion grows when rows of the result were made again
     */
    public record RunView(
            String id,
            String title,
            String job,
            RunState state,
            int stages,
            int stagesFinished,
            int tasksRunning,
            int tasksFinished,
            long rows,
            long bytes,
            int files,
            long skippedRecords,
            Map<String, Map<String, Long>> counters,
            int resultVersion,
            Failure failure,
            long startedAt,
            long endedAt) {}

    /** A client says that it has the rows of a result, or which of them it could not get. */
    public record ResultNote(boolean taken, AttemptId lost) {}

    /** So many workers are to have each piece of what is held. */
    public record WantedCopies(int copies) {}

    /** A worker has a copy of what an attempt made. */
    public record CopyNote(String run, AttemptId attempt) {}

    /**
     * From where a worker fetches what a stage made that all of them read.
     *
     * @param url of the worker that has it or is about to; null for those that made it
     * @param hands whether others will fetch it from this one
     */
    public record CopySource(String url, boolean hands) {}

    /** Where a browser opens the pages of a coordinator. */
    public record PageLink(String path) {}

    /** Lines that an attempt wrote to its standard output or error output. */
    public record Print(String run, AttemptId attempt, List<String> lines) {}

    /** A worker as it is shown. */
    public record WorkerView(
            String worker,
            String url,
            String host,
            long pid,
            int slots,
            int running,
            int programs,
            String state,
            long joinedAt) {

        /** The state of one that takes nothing new. */
        public static final String LEAVING = "leaving";

        @JsonIgnore
        public boolean isLeaving() {
            return LEAVING.equals(state);
        }
    }

    /** Why a run or a request failed. */
    public record Problem(Failure error) {}

    /** Blocks that a task wants of another worker. */
    public record BlockRequest(String run, List<BlockRef> blocks) {
        public BlockRequest {
            Objects.requireNonNull(run, "run");
            blocks = List.copyOf(blocks);
        }
    }

    /** One chunk of what an attempt made for a part. */
    public record BlockRef(AttemptId attempt, int part, int chunk) {
        public BlockRef {
            Objects.requireNonNull(attempt, "attempt");
        }
    }

    /** What a process says of itself. */
    public record Health(String role, String version, String state, int workers, int slots, int runs) {}

    /** From where a worker fetches a file of a job. */
    public record FileSource(String url) {}
}
