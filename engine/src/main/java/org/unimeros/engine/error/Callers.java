package org.unimeros.engine.error;

import java.util.List;
import java.util.Optional;

/** Finds the lines of a program that call the library. */
public final class Callers {

    /** The platform, and the library by which commands are called. */
    private static final List<String> PLATFORM = List.of("java.", "jdk.", "picocli.");

    /** Who calls this calls a command, and no line of a program asks for what that does. */
    private static final String COMMAND = "org.unimeros.cli.Main";

    private Callers() {}

    /** Whether a class belongs to the library or the platform rather than to the program. */
    static boolean isBetween(String className) {
        boolean isOurs = className.startsWith("org.unimeros.") && !className.startsWith("org.unimeros.examples.");
        return isOurs || PLATFORM.stream().anyMatch(className::startsWith);
    }

    /**
     * The line from which this thread called the library, in the form of a stack trace: {@code parcels.Daily.main(Daily.java:61)}. Empty where only the
     * library and the platform have called.
     */
    public static Optional<String> line() {
        return StackWalker.getInstance()
                .walk(frames -> frames.takeWhile(f -> !f.getClassName().equals(COMMAND))
                        .filter(f -> !isBetween(f.getClassName()))
                        .findFirst())
                .map(f -> f.getClassName() + "." + f.getMethodName() + "(" + f.getFileName() + ":" + f.getLineNumber()
                        + ")");
    }
}
