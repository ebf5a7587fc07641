package org.unimeros.engine.error;

/** Something outside the job is missing or refuses: a file, a permission, disk space, memory. */
public final class ResourceFailure extends UnimerosException {

    public ResourceFailure(String message) {
        super(message, null);
    }

    public ResourceFailure(String message, Throwable cause) {
        super(message, cause);
    }
}
