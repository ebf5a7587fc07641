package org.unimeros.cli;

import java.io.PrintWriter;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;

/** Where a command writes to, and what it knows of the screen and the environment. */
final class Console {

    private final PrintWriter out;
    private final PrintWriter err;
    private final Terminal terminal;
    private final Map<String, String> environment;
    private final Progress progress;
    private final Set<String> warned = ConcurrentHashMap.newKeySet();
    private volatile boolean isInterrupted;

    Console(PrintWriter out, PrintWriter err, Terminal terminal, Map<String, String> environment) {
        this.out = out;
        this.err = err;
        this.terminal = terminal;
        this.environment = environment;
        this.progress = new Progress(err, terminal, System::currentTimeMillis);
    }

    /** For results. */
    PrintWriter out() {
        return out;
    }

    /** A line for the person, beside the results. */
    void note(String line) {
        progress.clear();
        err.println(line);
        err.flush();
    }

    void error(String message) {
        note("unimeros: " + message);
    }

    /** The process is asked to end. */
    void interrupted() {
        isInterrupted = true;
        error("interrupted; what is under way is cancelled, and nothing of it is written");
    }

    boolean isInterrupted() {
        return isInterrupted;
    }

    /** A warning, once however often it is given. */
    void warning(String message) {
        if (warned.add(message)) {
            note("warning: " + message);
        }
    }

    Terminal terminal() {
        return terminal;
    }

    Map<String, String> environment() {
        return environment;
    }

    Progress progress() {
        return progress;
    }
}
