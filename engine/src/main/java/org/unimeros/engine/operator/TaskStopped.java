package org.unimeros.engine.operator;

/** Ends the steps of a task that is no longer wanted, from wherever in them; the chain of the task catches it. */
@SuppressWarnings("serial")
public final class TaskStopped extends RuntimeException {

    public TaskStopped() {
        super("the task is no longer wanted", null, false, false);
    }
}
