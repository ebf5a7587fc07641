package org.unimeros.cli;

import org.unimeros.ReadOptions;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** How the files of a dataset are read that is named on the command line. */
final class InputOptions {

    @Mixin
    FileOptions files = new FileOptions();

    @Option(
            names = "--format",
            paramLabel = "FORMAT",
            description = "The format of the files, where their endings do not tell it.")
    String format;

    ReadOptions apply(ReadOptions read) {
        return files.apply(format == null ? read : read.format(format));
    }

    boolean isEmpty() {
        return format == null && files.isEmpty();
    }
}
