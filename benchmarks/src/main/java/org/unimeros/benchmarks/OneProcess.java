package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import org.unimeros.cluster.job.ChildJvm;

/** One run of an entry in a process of its own: how long it takes in a cold JVM, and how much memory it needs. */
final class OneProcess {

    private OneProcess() {}

    /** Runs one side of an entry in a child and gives what that found out: {@code 1.25 s, 512 MB}. */
    static String peak(Entry entry, String side, int slots) throws IOException, InterruptedException {
        List<String> command = ChildJvm.command();
        command.addAll(List.of(
                "-Xmx12g",
                "-cp",
                System.getProperty("java.class.path"),
                Main.class.getName(),
                "--once",
                entry.name(),
                side,
                String.valueOf(slots)));
        Process process = new ProcessBuilder(command)
                .redirectError(ProcessBuilder.Redirect.INHERIT)
                .start();
        String said = new String(process.getInputStream().readAllBytes()).strip();
        return process.waitFor() == 0 ? said : "failed";
    }

    /** The work of the child. */
    static void work(Entry entry, String side, int slots) throws Exception {
        entry.prepare();
        boolean ours = side.equals("ours");
        if (ours) {
            entry.prepareOurs();
        }
        long start = System.nanoTime();
        if (ours) {
            entry.ours(slots);
        } else {
            entry.handWritten(slots);
        }
        double seconds = (System.nanoTime() - start) / 1e9;
        System.out.printf(Locale.ROOT, "%.2f s, %,d MB%n", seconds, peakMegabytes());
    }

    /** The most memory that this process ever had, mapped files included; -1 where the system does not tell. */
    static long peakMegabytes() throws IOException {
        Path status = Path.of("/proc/self/status");
        if (Files.exists(status)) {
            for (String line : Files.readAllLines(status)) {
                if (line.startsWith("VmHWM:")) {
                    return Long.parseLong(line.replaceAll("[^0-9]", "")) / 1024;
                }
            }
        }
        return -1;
    }
}
