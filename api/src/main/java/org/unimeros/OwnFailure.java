package org.unimeros;

import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;

/** Failures of the job's own code, told with what it was given and where in the code it happened. */
final class OwnFailure {

    private static final int SHOWN = 300;

    private OwnFailure() {}

    /**
     * A failure for the user. What is none of the code's own doing stays as it is.
     *
     * @param what which function
     * @param on what it was given; null for nothing
     */
    static RuntimeException of(String what, Object on, Exception failure) {
        if (failure instanceof UnimerosException || failure.getClass().getName().startsWith("org.unimeros.engine.")) {
            return (RuntimeException) failure;
        }
        String given = on == null ? "" : " on " + shortened(String.valueOf(on));
        return new UserMistake("the " + what + " function failed" + given + ": " + failure + place(failure), failure);
    }

    private static String shortened(String text) {
        return text.length() <= SHOWN ? text : text.substring(0, SHOWN) + "…";
    }

    /** The innermost place that is neither the platform's nor ours. */
    private static String place(Exception failure) {
        for (StackTraceElement frame : failure.getStackTrace()) {
            String type = frame.getClassName();
            boolean own =
                    !type.startsWith("java.") && !type.startsWith("jdk.") && !type.startsWith("org.unimeros.engine.");
            if (own && frame.getFileName() != null) {
                return " (" + frame.getFileName() + ":" + frame.getLineNumber() + ")";
            }
        }
        return "";
    }
}
