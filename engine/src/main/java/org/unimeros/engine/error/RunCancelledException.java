package org.unimeros.engine.error;

/** The run was cancelled, and nothing of it is left behind. */
@SuppressWarnings("serial")
public final class RunCancelledException extends RuntimeException {

    private final String reason;

    public RunCancelledException(String reason) {
        super("the run was cancelled: " + reason);
        this.reason = reason;
    }

    /** Why; may be null. */
    public String reason() {
        return reason;
    }
}
