package org.unimeros.cli;

import java.io.PrintWriter;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.Settings;

/** Where a command writes to, and what it knows of the screen and the environment. */
final class Console {

    private static final Pattern SETTING = Pattern.compile("\\bset ([a-z]+(?:[.-][a-z]+)+) to ([a-zA-Z0-9]+)");
    private static final Set<String> NAMES = Settings.defaults().asMap().keySet();

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
        note(terminal.errColours().error("unimeros:") + " " + asOptions(message));
    }

    /** What a program is told of a setting is an option here. */
    static String asOptions(String message) {
        return SETTING.matcher(message).replaceAll(found -> {
            String name = found.group(1);
            if (!NAMES.contains(name)) {
                return Matcher.quoteReplacement(found.group());
            }
            boolean hasOption = name.equals("bad-records");
            return Matcher.quoteReplacement(
                    "use " + (hasOption ? "--on-bad-record " : "--set " + name + "=") + found.group(2));
        });
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
            note(terminal.errColours().warning("warning:") + " " + asOptions(message));
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
