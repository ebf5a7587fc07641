package org.unimeros.engine.error;

import java.util.Arrays;

/**
 * The root of every failure that this library reports. The subclasses are the four families: {@link UserMistake},
 * {@link BadData}, {@link ResourceFailure} and {@link InternalFault}. A message is one line that says what is wrong,
 * where, and what to do about it.
 *
 * <p>The trace of the first three begins with the line of the program that called the library, since what lies between says nothing to its author. The
 * system property {@code unimeros.traces} set to {@code full} keeps it.
 */
public abstract sealed class UnimerosException extends RuntimeException
        permits UserMistake, BadData, ResourceFailure, InternalFault {

    private static final boolean KEEPS_ALL = "full".equals(System.getProperty("unimeros.traces"));

    @SuppressWarnings("serial")
    private Failure.Tries tries;

    UnimerosException(String message, Throwable cause) {
        super(message, cause);
        beginAtCaller(getStackTrace());
    }

    /** What is wrong, where and what to do, and how often it was tried. */
    @Override
    public final String getMessage() {
        return tries == null ? problem() : Failure.of(this).text();
    }

    /** What is wrong, where and what to do. */
    public final String problem() {
        return super.getMessage();
    }

    /** How often the task that failed was tried; null where that says nothing. */
    public final Failure.Tries tries() {
        return tries;
    }

    /** Says how often the task that failed was tried; returns this. */
    public final UnimerosException after(Failure.Tries made) {
        tries = made;
        return this;
    }

    /** Has the trace begin where this thread called the library, for what another thread has found for it. */
    public void calledHere() {
        beginAtCaller(new Throwable().getStackTrace());
    }

    private void beginAtCaller(StackTraceElement[] frames) {
        if (KEEPS_ALL || this instanceof InternalFault) {
            return;
        }
        int first = 0;
        while (first < frames.length && Callers.isBetween(frames[first].getClassName())) {
            first++;
        }
        if (first < frames.length) {
            setStackTrace(Arrays.copyOfRange(frames, first, frames.length));
        }
    }
}
