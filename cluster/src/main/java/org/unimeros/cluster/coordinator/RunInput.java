package org.unimeros.cluster.coordinator;

import com.fasterxml.jackson.annotation.JsonSubTypes;
import com.fasterxml.jackson.annotation.JsonTypeInfo;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.engine.schedule.AttemptId;

/**
 * Everything that the course of a run depends on, in the order in which it came. Given to a driver once more, it leads to the same
 * state, so that these are what the journal keeps.
 */
@JsonTypeInfo(use = JsonTypeInfo.Id.NAME, property = "input")
@JsonSubTypes({
    @JsonSubTypes.Type(value = RunInput.Submitted.class, name = "submitted"),
    @JsonSubTypes.Type(value = RunInput.WorkerJoined.class, name = "worker-joined"),
    @JsonSubTypes.Type(value = RunInput.WorkerLeaving.class, name = "worker-leaving"),
    @JsonSubTypes.Type(value = RunInput.WorkerLost.class, name = "worker-lost"),
    @JsonSubTypes.Type(value = RunInput.Reported.class, name = "reported"),
    @JsonSubTypes.Type(value = RunInput.ResultTaken.class, name = "result-taken"),
    @JsonSubTypes.Type(value = RunInput.ResultLost.class, name = "result-lost"),
    @JsonSubTypes.Type(value = RunInput.Copied.class, name = "copied"),
    @JsonSubTypes.Type(value = RunInput.Replicate.class, name = "replicate"),
    @JsonSubTypes.Type(value = RunInput.Cancelled.class, name = "cancelled"),
    @JsonSubTypes.Type(value = RunInput.Failed.class, name = "failed"),
    @JsonSubTypes.Type(value = RunInput.Tick.class, name = "tick"),
    @JsonSubTypes.Type(value = RunInput.Warned.class, name = "warned"),
    @JsonSubTypes.Type(value = RunInput.Ended.class, name = "ended")
})
sealed interface RunInput {

    record Submitted(Submission submission, long at) implements RunInput {}

    record WorkerJoined(String worker, int slots, int programs, String url) implements RunInput {}

    record WorkerLeaving(String worker) implements RunInput {}

    record WorkerLost(String worker, String reason) implements RunInput {}

    record Reported(String worker, Report report) implements RunInput {}

    record ResultTaken() implements RunInput {}

    record ResultLost(AttemptId producer) implements RunInput {}

    /** A worker has a copy of what an attempt made. */
    record Copied(String worker, AttemptId attempt) implements RunInput {}

    /** So many workers are to have each piece of what is held. */
    record Replicate(int copies) implements RunInput {}

    record Cancelled(String reason) implements RunInput {}

    /** The run ends for want of something. */
    record Failed(String reason) implements RunInput {}

    record Tick() implements RunInput {}

    /** Something that the user of the run should know. */
    record Warned(String message) implements RunInput {}

    /** The run is over, and this is how; nothing comes behind it. */
    record Ended(RunView view) implements RunInput {}
}
