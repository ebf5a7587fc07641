package org.unimeros.cluster.wire;

import java.util.List;
import java.util.Map;
import org.unimeros.engine.schedule.AttemptId;

/** What the coordinator wants of a worker. Orders of one worker are carried out in their order, each once. */
public sealed interface Order {

    /**
     * @param input what the task reads, as {@link PlanCodec} writes it
     * @param inputs for each stage that it reads, the least version of what that stage made
     */
    record Launch(String run, AttemptId attempt, byte[] input, Map<Integer, Integer> inputs) implements Order {}

    /** The result of an attempt is not wanted. */
    record Stop(String run, AttemptId attempt) implements Order {}

    /** Fetch what an attempt made and keep it, too; said with a {@link Messages.CopyNote}. */
    record Copy(String run, AttemptId attempt) implements Order {}

    /** What the tasks of a stage shared can go. */
    record StageFinished(String run, int stage) implements Order {}

    /** What a stage made can go. */
    record Release(String run, int stage) implements Order {}

    /** The coordinator has started again and knows of these runs and jobs only. */
    record KeepRuns(List<String> runs, List<String> jobs) implements Order {}

    /** Take nothing new, and leave when others have what is needed of it, or after so long. */
    record Leave(long mostMillis) implements Order {}

    /** Launch the main program of a job. */
    record StartJob(JobMessages.JobRequest job) implements Order {}

    /** End the main program of a job. */
    record EndJob(String job) implements Order {}

    /** The run is over, and nothing of it is wanted any more. */
    record EndRun(String run) implements Order {}
}
