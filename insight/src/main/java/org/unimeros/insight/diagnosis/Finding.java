package org.unimeros.insight.diagnosis;

import org.unimeros.insight.diagnosis.RunHistory.Span;

/**
 * One thing that a run says of itself.
 *
 * @param kind a word by which programs know it, such as {@code uneven-tasks}
 * @param what what is wrong, in a sentence
 * @param evidence the figures that show it
 * @param cause why it probably is so, in the words of the job
 * @param change what to do, to be taken over as it stands
 * @param gainMillis what the run would probably be shorter by; -1 where that cannot be told
 * @param sureness how sure that is
 * @param place where to look
 */
public record Finding(
        String kind,
        String what,
        String evidence,
        String cause,
        String change,
        long gainMillis,
        Sureness sureness,
        Place place) {

    /** A finding of the whole run. */
    public Finding(
            String kind,
            String what,
            String evidence,
            String cause,
            String change,
            long gainMillis,
            Sureness sureness) {
        this(kind, what, evidence, cause, change, gainMillis, sureness, Place.RUN);
    }

    /** The same, seen at a place. */
    public Finding at(Place other) {
        return new Finding(kind, what, evidence, cause, change, gainMillis, sureness, other);
    }

    /**
     * Where in a run something is seen.
     *
     * @param stage -1 for the whole run
     * @param task of the stage; -1 for all of it
     * @param worker null for all of them
     * @param from milliseconds since 1970, and -1 where it is not about a time
     * @param to the end of that time
     */
    public record Place(int stage, int task, String worker, long from, long to) {

        /** All of it. */
        public static final Place RUN = new Place(-1, -1, null, -1, -1);

        static Place stage(int stage) {
            return new Place(stage, -1, null, -1, -1);
        }

        static Place attempt(Span span) {
            return new Place(span.attempt().stage(), span.attempt().task(), null, span.begin(), span.end());
        }

        static Place worker(int stage, String worker) {
            return new Place(stage, -1, worker, -1, -1);
        }

        static Place time(long from, long to) {
            return new Place(-1, -1, null, from, to);
        }
    }

    /** How sure a finding is of its cause and its gain. */
    public enum Sureness {
        SURE("sure"),
        LIKELY("likely"),
        POSSIBLE("possible");

        private final String word;

        Sureness(String word) {
            this.word = word;
        }

        @Override
        public String toString() {
            return word;
        }
    }
}
