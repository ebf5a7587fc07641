package org.unimeros.cluster.job;

import java.lang.management.ManagementFactory;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/** How another JVM is started by this one, for more work of the same kind. */
public final class ChildJvm {

    private static final String LARGE_PAGES = "-XX:+UseTransparentHugePages";

    private ChildJvm() {}

    /** The same {@code java}, with the options that all have: add what the child needs, and its main class. Large pages of memory are asked for where this JVM has them. */
    public static List<String> command() {
        List<String> command = new ArrayList<>(List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "--enable-native-access=ALL-UNNAMED",
                "-XX:+UseParallelGC"));
        if (ManagementFactory.getRuntimeMXBean().getInputArguments().contains(LARGE_PAGES)) {
            command.add(LARGE_PAGES);
        }
        return command;
    }
}
