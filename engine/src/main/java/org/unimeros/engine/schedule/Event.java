package org.unimeros.engine.schedule;

import java.util.Map;

/** Something that happened, as told to the {@link Scheduler}. */
public sealed interface Event {

    /** A worker offers slots; one slot runs one attempt at a time. */
    record WorkerJoined(String worker, int slots) implements Event {}

    /** A worker is gone, with all attempts that it ran and all output that it kept. */
    record WorkerLost(String worker) implements Event {}

    /** A worker finishes what it runs and gets nothing new; what it keeps can be read until it is lost. */
    record WorkerLeaving(String worker) implements Event {}

    /**
     * The tasks of a stage are known; the answer to {@link Command.PrepareStage}.
     *
     * @param places workers that have what tasks read, by the number of the task, for some of them
     */
    record StagePrepared(int stage, int tasks, Map<Integer, String> places) implements Event {
        public StagePrepared(int stage, int tasks) {
            this(stage, tasks, Map.of());
        }
    }

    record AttemptSucceeded(AttemptId attempt, long rows) implements Event {}

    /** @param again whether another attempt could succeed */
    record AttemptFailed(AttemptId attempt, boolean again) implements Event {}

    /** A copy of what an attempt made, at another worker, is the one that counts from now on. */
    record ResultMoved(AttemptId attempt, String worker) implements Event {}

    /**
     * An attempt could not read what another one had made, which counts as lost from now on.
     *
     * @param producer null when it is still there, or is not of this run
     */
    record InputLost(AttemptId attempt, AttemptId producer) implements Event {}

    /** Whoever asked for the result has it, or could not read what an attempt had made for it. */
    record ResultTaken() implements Event {}

    record ResultLost(AttemptId producer) implements Event {}

    /** Nobody wants the result any more. */
    record CancelRequested(String reason) implements Event {}

    /** Time goes by; without it no second attempts of slow tasks are made. */
    record Tick(long millis) implements Event {}
}
