package org.unimeros.engine.error;

/** A value that was read does not have the form it should have; the message names file, place and value. */
public final class BadData extends UnimerosException {

    public BadData(String message) {
        super(message, null);
    }

    public BadData(String message, Throwable cause) {
        super(message, cause);
    }
}
