package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.WorkerProcess;

/** Hosts of their own on this machine, as namespaces of its network behind a bridge. Needs the rights to make them. */
final class TestHosts implements AutoCloseable {

    private final String prefix = "un" + ProcessHandle.current().pid() % 10_000;
    private final String subnet = "10.77." + ProcessHandle.current().pid() % 250 + ".";
    private final List<Process> processes = new ArrayList<>();
    private final int count;

    /** Whether this process may make hosts. */
    static boolean canBeMade() {
        String probe = "un-probe-" + ProcessHandle.current().pid();
        boolean can = tried("ip", "netns", "add", probe);
        return can && tried("ip", "netns", "delete", probe);
    }

    TestHosts(int count) {
        this.count = count;
        run("ip", "link", "add", prefix + "b", "type", "bridge");
        run("ip", "address", "add", subnet + "1/24", "dev", prefix + "b");
        run("ip", "link", "set", prefix + "b", "up");
        for (int h = 1; h <= count; h++) {
            run("ip", "netns", "add", space(h));
            run("ip", "link", "add", prefix + "v" + h, "type", "veth", "peer", "name", "net", "netns", space(h));
            run("ip", "link", "set", prefix + "v" + h, "master", prefix + "b", "up");
            on(h, "ip", "address", "add", address(h) + "/24", "dev", "net");
            on(h, "ip", "link", "set", "net", "up");
            on(h, "ip", "link", "set", "lo", "up");
        }
    }

    /** The address of a host, from 1 on; 0 is this process. */
    String address(int host) {
        return subnet + (host + 1);
    }

    private String space(int host) {
        return prefix + "n" + host;
    }

    private void on(int host, String... command) {
        List<String> all = new ArrayList<>(List.of("ip", "netns", "exec", space(host)));
        all.addAll(List.of(command));
        run(all.toArray(new String[0]));
    }

    /** What one of them sends to the other is lost on the way from now on, without a word to either. */
    void cut(int one, int other) {
        on(
                one,
                "ip",
                "neigh",
                "replace",
                address(other),
                "lladdr",
                "02:00:00:00:00:99",
                "dev",
                "net",
                "nud",
                "permanent");
        on(
                other,
                "ip",
                "neigh",
                "replace",
                address(one),
                "lladdr",
                "02:00:00:00:00:99",
                "dev",
                "net",
                "nud",
                "permanent");
    }

    /** Lets them reach each other again. */
    void mend(int one, int other) {
        on(one, "ip", "neigh", "delete", address(other), "dev", "net");
        on(other, "ip", "neigh", "delete", address(one), "dev", "net");
    }

    /** Pulls the plug of a host, or puts it in again. */
    void plug(int host, boolean in) {
        run("ip", "link", "set", prefix + "v" + host, in ? "up" : "down");
    }

    /** A worker with one slot on a host. */
    void startWorker(int host, String coordinator, ClusterAccess access, Path folder) throws IOException {
        Files.createDirectories(folder);
        ProcessBuilder builder = new ProcessBuilder(
                "ip",
                "netns",
                "exec",
                space(host),
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xmx200m",
                "-cp",
                System.getProperty("java.class.path"),
                WorkerProcess.class.getName(),
                "coordinator=" + coordinator,
                "host=" + address(host),
                "slots=1",
                "programs=1",
                "memory=" + (100 << 20),
                "scratch=" + folder.resolve("scratch"));
        access.passOn(builder.environment());
        builder.redirectErrorStream(true);
        builder.redirectOutput(folder.resolve("worker.log").toFile());
        processes.add(builder.start());
    }

    private static void run(String... command) {
        try {
            Process process =
                    new ProcessBuilder(command).redirectErrorStream(true).start();
            String said = new String(process.getInputStream().readAllBytes());
            assertEquals(0, process.waitFor(), String.join(" ", command) + ": " + said);
        } catch (IOException | InterruptedException e) {
            throw new AssertionError(e);
        }
    }

    private static boolean tried(String... command) {
        try {
            Process process =
                    new ProcessBuilder(command).redirectErrorStream(true).start();
            process.getInputStream().readAllBytes();
            return process.waitFor() == 0;
        } catch (IOException | InterruptedException e) {
            return false;
        }
    }

    @Override
    public void close() throws IOException {
        for (Process process : processes) {
            process.getOutputStream().close();
            try {
                if (!process.waitFor(5, TimeUnit.SECONDS)) {
                    process.destroyForcibly();
                }
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
            }
        }
        for (int h = 1; h <= count; h++) {
            run("ip", "netns", "delete", space(h));
        }
        run("ip", "link", "delete", prefix + "b");
    }
}
