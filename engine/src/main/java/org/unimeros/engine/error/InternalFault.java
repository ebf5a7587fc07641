package org.unimeros.engine.error;

/** A mistake of this library, never of its user. */
public final class InternalFault extends UnimerosException {

    public InternalFault(String message) {
        super(message, null);
    }

    public InternalFault(String message, Throwable cause) {
        super(message, cause);
    }
}
