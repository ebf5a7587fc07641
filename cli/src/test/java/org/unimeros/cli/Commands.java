package org.unimeros.cli;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.Map;

/** Calls commands in this process, as the launcher would. */
final class Commands {

    /** What a command printed, and its exit code. */
    record Result(int code, String out, String err) {}

    private Commands() {}

    /** Runs a command that keeps no record. */
    static Result run(Terminal terminal, String... args) {
        return run(terminal, Map.of("UNIMEROS_RUNS_FOLDER", ""), args);
    }

    static Result run(Terminal terminal, Map<String, String> environment, String... args) {
        StringWriter out = new StringWriter();
        StringWriter err = new StringWriter();
        int code = Main.run(new PrintWriter(out), new PrintWriter(err), terminal, environment, args);
        return new Result(code, out.toString(), err.toString());
    }
}
