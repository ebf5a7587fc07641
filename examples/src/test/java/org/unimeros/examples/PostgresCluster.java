package org.unimeros.examples;

import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;

/**
 * A PostgreSQL cluster of a test: in a folder of its own, on a loopback port, gone when it is closed. The programs of
 * the server refuse to run as root; there they run as the user that the Debian package makes.
 */
final class PostgresCluster implements AutoCloseable {

    private static final String USER = "postgres";

    private final Path programs;
    private final Path folder;
    private final boolean asRoot;
    private final int port;

    private PostgresCluster(Path programs, Path folder, boolean asRoot, int port) {
        this.programs = programs;
        this.folder = folder;
        this.asRoot = asRoot;
        this.port = port;
    }

    /** Starts a program as another user; not on the path of everyone. */
    private static Optional<Path> runuser() {
        return Stream.of("/usr/sbin/runuser", "/sbin/runuser", "/usr/bin/runuser")
                .map(Path::of)
                .filter(Files::isExecutable)
                .findFirst();
    }

    private static boolean isRoot() {
        return System.getProperty("user.name").equals("root");
    }

    /** The folder of the server's programs, where it is installed and can be started. */
    static Optional<Path> installed() throws IOException {
        if (isRoot()
                && (runuser().isEmpty()
                        || !Files.readString(Path.of("/etc/passwd")).contains(USER + ":"))) {
            return Optional.empty();
        }
        Path versions = Path.of("/usr/lib/postgresql");
        if (!Files.isDirectory(versions)) {
            return Optional.empty();
        }
        try (Stream<Path> found = Files.list(versions)) {
            return found.map(v -> v.resolve("bin"))
                    .filter(bin -> Files.isExecutable(bin.resolve("initdb")))
                    .max(Comparator.naturalOrder());
        }
    }

    static PostgresCluster start(Path programs) throws IOException, InterruptedException {
        boolean asRoot = isRoot();
        Path folder = Files.createTempDirectory("pg");
        int port;
        try (ServerSocket free = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
            port = free.getLocalPort();
        }
        PostgresCluster cluster = new PostgresCluster(programs, folder, asRoot, port);
        if (asRoot) {
            cluster.run(List.of("chown", USER, folder.toString()), "");
        }
        cluster.server("initdb", "-D", folder + "/data", "-U", USER, "-A", "trust", "--locale=C", "-E", "UTF8", "-N");
        cluster.server(
                "pg_ctl",
                "-D",
                folder + "/data",
                "-w",
                "-l",
                folder + "/log",
                "-o",
                "-p " + port + " -k " + folder + " -c listen_addresses=127.0.0.1 -c timezone=UTC -c fsync=off",
                "start");
        return cluster;
    }

    private void server(String program, String... arguments) throws IOException, InterruptedException {
        List<String> command = new ArrayList<>();
        if (asRoot) {
            command.addAll(List.of(runuser().orElseThrow().toString(), "-u", USER, "--"));
        }
        command.add(programs.resolve(program).toString());
        command.addAll(List.of(arguments));
        run(command, "");
    }

    /** Runs statements and returns what they print; rows as CSV where they are copied to the standard output. */
    String sql(String statements) throws IOException, InterruptedException {
        return run(
                List.of(
                        programs.resolve("psql").toString(),
                        "-h",
                        "127.0.0.1",
                        "-p",
                        String.valueOf(port),
                        "-U",
                        USER,
                        "-X",
                        "-q",
                        "-A",
                        "-t"),
                statements);
    }

    private String run(List<String> command, String input) throws IOException, InterruptedException {
        Path in = Files.createTempFile("pg", ".in");
        Path out = Files.createTempFile("pg", ".out");
        try {
            Files.writeString(in, input);
            Process process = new ProcessBuilder(command)
                    .directory(Path.of("/").toFile())
                    .redirectErrorStream(true)
                    .redirectInput(in.toFile())
                    .redirectOutput(out.toFile())
                    .start();
            if (!process.waitFor(20, TimeUnit.MINUTES) || process.exitValue() != 0) {
                process.destroyForcibly();
                throw new IOException(command + " failed: " + Files.readString(out));
            }
            return Files.readString(out, StandardCharsets.UTF_8);
        } finally {
            Files.delete(in);
            Files.delete(out);
        }
    }

    @Override
    public void close() throws IOException {
        try {
            server("pg_ctl", "-D", folder + "/data", "-m", "immediate", "-w", "stop");
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new IOException("interrupted while PostgreSQL was stopped", e);
        }
        try (Stream<Path> all = Files.walk(folder)) {
            for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
                Files.delete(path);
            }
        }
    }
}
