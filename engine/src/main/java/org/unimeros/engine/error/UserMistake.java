package org.unimeros.engine.error;

/** The job itself is wrong: an unknown column, types that do not fit, a setting that does not exist. */
public final class UserMistake extends UnimerosException {

    public UserMistake(String message) {
        super(message, null);
    }

    public UserMistake(String message, Throwable cause) {
        super(message, cause);
    }
}
