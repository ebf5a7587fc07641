package org.unimeros.engine.error;

/**
 * The root of every failure that this library reports. The subclasses are the four families: {@link UserMistake},
 * {@link BadData}, {@link ResourceFailure} and {@link InternalFault}. A message is one line that says what is wrong,
 * where, and what to do about it.
 */
public abstract sealed class UnimerosException extends RuntimeException
        permits UserMistake, BadData, ResourceFailure, InternalFault {

    UnimerosException(String message, Throwable cause) {
        super(message, cause);
    }
}
