package org.unimeros.engine.run;

/** The run was cancelled, and nothing of it is left behind. */
@SuppressWarnings("serial")
public final class RunCancelledException extends RuntimeException {

    public RunCancelledException(String reason) {
        super("the run was cancelled: " + reason);
    }
}
