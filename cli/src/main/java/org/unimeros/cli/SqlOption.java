package org.unimeros.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** A query, from the command line or from a file. */
final class SqlOption {

    @Parameters(
            arity = "0..1",
            paramLabel = "SQL",
            description = "The query; datasets by name, or paths as in: select * from dataset('demo/scans').")
    String sql;

    @Option(
            names = {"-f", "--file"},
            paramLabel = "FILE",
            description = "Reads the query from a file.")
    Path file;

    boolean isGiven() {
        return sql != null || file != null;
    }

    String text() {
        if (sql != null && file != null) {
            throw new UserMistake("give the query or a file with it, not both");
        }
        if (sql == null && file == null) {
            throw new UserMistake("give a query, or a file with it: -f FILE");
        }
        return sql != null ? sql : read(file);
    }

    /** The query in a file. */
    static String read(Path file) {
        try {
            return Files.readString(file);
        } catch (IOException e) {
            throw new ResourceFailure("cannot read the query from " + file + ": " + e, e);
        }
    }
}
