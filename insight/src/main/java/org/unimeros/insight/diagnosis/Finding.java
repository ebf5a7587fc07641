package org.unimeros.insight.diagnosis;

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
 */
public record Finding(
        String kind, String what, String evidence, String cause, String change, long gainMillis, Sureness sureness) {

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
