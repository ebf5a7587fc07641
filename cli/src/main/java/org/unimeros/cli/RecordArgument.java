package org.unimeros.cli;

import java.nio.file.Path;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

/** Which record a command is about. */
final class RecordArgument {

    @Mixin
    RecordOptions options = new RecordOptions();

    @Parameters(
            paramLabel = "RUN|FILE|last",
            arity = "0..1",
            defaultValue = "last",
            description = "A run by its name or its record; the last one unless given.")
    String run;

    Path record(Console console) {
        return options.folder(console).find(run);
    }
}
