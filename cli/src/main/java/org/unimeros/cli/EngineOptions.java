package org.unimeros.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;
import picocli.CommandLine.Option;

/** What every command that works with datasets takes. */
final class EngineOptions {

    static final Path SETTINGS_FILE = Path.of("unimeros.properties");

    @Option(
            names = {"-d", "--data"},
            paramLabel = "DIR",
            description =
                    "A folder whose sub-folders and files are datasets by their names; or a file that declares some.")
    Path data;

    @Option(
            names = {"-s", "--set"},
            paramLabel = "NAME=VALUE",
            description = "Changes a setting; `unimeros settings` lists them.")
    Map<String, String> set = new LinkedHashMap<>();

    @Option(
            names = "--settings",
            paramLabel = "FILE",
            description = "A file of settings, lines of name = value; unimeros.properties here, where there is one.")
    Path file;

    @Option(
            names = "--on-bad-record",
            paramLabel = "fail|skip|divert[:DIR]",
            description = "What happens with records that cannot be read; divert keeps them in a folder.")
    String onBadRecord;

    @Option(names = "--slots", paramLabel = "N", description = "How many tasks run at the same time.")
    Integer slots;

    @Option(
            names = "--workers",
            paramLabel = "N",
            description = "Runs the job on so many worker processes, which are started for it.")
    Integer workers;

    @Option(names = "--coordinator", paramLabel = "URL", description = "Runs the job on the workers of a coordinator.")
    String coordinator;

    @Option(
            names = "--page",
            description = "Shows the runs in a browser of this machine while they go on; prints where.")
    boolean page;

    /** Defaults, then the settings file, then the environment, then the command line; the last one counts. */
    Settings settings(Console console) {
        return settings(console, Settings.defaults());
    }

    /** The same with others in the place of the defaults. */
    Settings settings(Console console, Settings defaults) {
        Settings settings = defaults;
        if (file != null) {
            settings = settings.withFile(file);
        } else if (Files.exists(SETTINGS_FILE)) {
            settings = settings.withFile(SETTINGS_FILE);
        }
        settings = settings.withEnvironment(console.environment());
        if (onBadRecord != null) {
            int colon = onBadRecord.indexOf(':');
            settings = settings.with("bad-records", colon < 0 ? onBadRecord : onBadRecord.substring(0, colon));
            settings = colon < 0 ? settings : settings.with("bad-records.folder", onBadRecord.substring(colon + 1));
        }
        if (slots != null) {
            settings = settings.with("slots", slots.toString());
        }
        if (workers != null) {
            settings = settings.with("workers", workers.toString());
        }
        if (coordinator != null) {
            settings = settings.with("coordinator", coordinator);
        }
        if (page) {
            settings = settings.with("page.port", "0");
        }
        for (Map.Entry<String, String> change : set.entrySet()) {
            settings = settings.with(change.getKey(), change.getValue());
        }
        return settings;
    }

    Engine open(Console console) {
        return open(console, settings(console));
    }

    Engine open(Console console, Settings settings) {
        if (data != null && !Files.exists(data)) {
            throw new UserMistake(
                    "there is no folder " + data + "; make the demo data with: unimeros demo-data " + data);
        }
        // The console writes them between what it shows of the progress.
        Settings own = settings.with("task.prints", "off");
        Engine engine = data == null ? Engine.open(own) : Engine.open(own, data);
        engine.page().ifPresent(address -> console.note("page: " + address));
        engine.watch(console.progress());
        engine.watch(event -> {
            if (event instanceof RunEvent.Warning warning) {
                console.warning(warning.message());
            } else if (event instanceof RunEvent.Printed printed) {
                printed.lines()
                        .forEach(line -> console.note((printed.worker() == null ? "" : printed.worker() + ", ")
                                + printed.attempt() + ": " + line));
            } else if (event instanceof RunEvent.WorkerLost lost && !lost.hasLeft()) {
                console.warning("worker " + lost.worker() + " was lost (" + lost.reason()
                        + "); its tasks run elsewhere, and what it had made is made again where it is needed");
            }
        });
        Interrupts.cancelOnExit(engine, console);
        return engine;
    }
}
