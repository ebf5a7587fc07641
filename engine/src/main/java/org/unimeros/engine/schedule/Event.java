package org.unimeros.engine.schedule;

/** Something that happened, as told to the {@link Scheduler}. */
public sealed interface Event {

    /** A worker offers slots; one slot runs one attempt at a time. */
    record WorkerJoined(String worker, int slots) implements Event {}

    /** A worker is gone, with all attempts that it ran. */
    record WorkerLost(String worker) implements Event {}

    /** The tasks of a stage are known; the answer to {@link Command.PrepareStage}. */
    record StagePrepared(int stage, int tasks) implements Event {}

    record AttemptSucceeded(AttemptId attempt, long rows) implements Event {}

    /**
     * @param again whether another attempt could succeed
     * @param reason one line for the user
     */
    record AttemptFailed(AttemptId attempt, boolean again, String reason) implements Event {}

    /** Nobody wants the result any more. */
    record CancelRequested(String reason) implements Event {}
}
