package org.unimeros.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import org.unimeros.Settings;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RunFolder;
import picocli.CommandLine.Option;

/** Where a command looks for records of runs. */
final class RecordOptions {

    @Option(
            names = "--runs",
            paramLabel = "DIR",
            description = "The folder of run records; else that of the setting runs.folder.")
    Path runs;

    /** Refuses to write a page over the record that it is made of. */
    static void refuseOver(Path record, Path page) {
        if (page.toAbsolutePath().normalize().equals(record.toAbsolutePath().normalize())) {
            throw new UserMistake("the page would take the place of the record " + record + "; choose another --to");
        }
    }

    /** Whether a folder is named. */
    boolean isGiven() {
        return runs != null;
    }

    RunFolder folder(Console console) {
        if (runs != null) {
            return new RunFolder(runs);
        }
        Settings settings = Settings.defaults();
        if (Files.exists(EngineOptions.SETTINGS_FILE)) {
            settings = settings.withFile(EngineOptions.SETTINGS_FILE);
        }
        return new RunFolder(
                Path.of(settings.withEnvironment(console.environment()).get("runs.folder")));
    }
}
