package org.unimeros.engine.error;

import java.io.Serializable;

/**
 * A failure as a value: what kind it is of, what it says, and how often it was tried. It goes from a task through the scheduler and between
 * processes to the user. Its texts are for people; nothing is found out from them.
 *
 * @param message one line that says what is wrong, where, and what to do
 * @param tries how often a task was tried; null where that says nothing
 */
public record Failure(Kind kind, String message, Tries tries) implements Serializable {

    /** What kinds there are: the families of exceptions, and what is no fault of anything. */
    public enum Kind {
        MISTAKE("mistake"),
        BAD_DATA("bad-data"),
        RESOURCE("resource"),
        INTERNAL("internal"),
        CANCELLED("cancelled"),
        /** A request that a process does not understand or allow. */
        REQUEST("request"),
        /** Nothing can be read from where something was to be read. */
        UNREACHABLE("unreachable");

        private final String word;

        Kind(String word) {
            this.word = word;
        }

        @Override
        public String toString() {
            return word;
        }
    }

    /**
     * How often a task was tried.
     *
     * @param made attempts that failed
     * @param most attempts that a task has
     * @param worker where the last one ran; null in a process that has no others
     */
    public record Tries(int made, int most, String worker) implements Serializable {
        @Override
        public String toString() {
            return "attempt " + made + " of " + most + (worker == null ? "" : ", on worker " + worker);
        }
    }

    public Failure(Kind kind, String message) {
        this(kind, message, null);
    }

    /** What an exception says; one of no family is a fault of this library. */
    public static Failure of(RuntimeException e) {
        return switch (e) {
            case RunCancelledException c -> new Failure(Kind.CANCELLED, c.reason());
            case UnimerosException known -> new Failure(kind(known), known.problem(), known.tries());
            default -> new Failure(Kind.INTERNAL, "unexpected " + e + "; the log has the details");
        };
    }

    /** The message, and how often it was tried. */
    public String text() {
        return tries == null ? message : message + " (" + tries + ")";
    }

    private static Kind kind(UnimerosException e) {
        return switch (e) {
            case UserMistake u -> Kind.MISTAKE;
            case BadData b -> Kind.BAD_DATA;
            case ResourceFailure r -> Kind.RESOURCE;
            case InternalFault i -> Kind.INTERNAL;
        };
    }

    /** The exception that says so. */
    public RuntimeException toException() {
        return switch (kind) {
            case CANCELLED -> new RunCancelledException(message);
            case MISTAKE, REQUEST -> new UserMistake(message).after(tries);
            case BAD_DATA -> new BadData(message).after(tries);
            case RESOURCE, UNREACHABLE -> new ResourceFailure(message).after(tries);
            case INTERNAL -> new InternalFault(message).after(tries);
        };
    }
}
