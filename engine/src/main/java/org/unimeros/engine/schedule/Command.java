package org.unimeros.engine.schedule;

import org.unimeros.engine.error.Failure.Tries;

/** What is to be done next, as decided by the {@link Scheduler}. */
public sealed interface Command {

    /** Find out the tasks of a stage, and tell with {@link Event.StagePrepared}. */
    record PrepareStage(int stage) implements Command {}

    record Launch(AttemptId attempt, String worker) implements Command {}

    /** Stop an attempt whose result will not be used; nothing is to be told of it any more. */
    record Stop(AttemptId attempt, String worker) implements Command {}

    /** Every needed task of the stage has a result. */
    record StageFinished(int stage) implements Command {}

    /** Results of a finished stage are lost and made again; it will be finished another time. */
    record StageReopened(int stage) implements Command {}

    /** Nobody reads the output of the stage any more. Should it be needed again, it is made anew. */
    record ReleaseStage(int stage) implements Command {}

    record RunSucceeded() implements Command {}

    /**
     * The run fails, since a task does.
     *
     * @param attempt the last attempt of the task
     * @param tries how often it was tried; null where another attempt could not help
     */
    record TaskFailed(AttemptId attempt, Tries tries) implements Command {}

    /** The run fails for a reason that no attempt has told. */
    record RunFailed(String reason) implements Command {}

    record RunCancelled(String reason) implements Command {}
}
