package org.unimeros.cli;

import org.unimeros.Result;
import picocli.CommandLine.Option;

/** How rows are printed. */
final class OutputOptions {

    @Option(names = "--csv", description = "Prints CSV with a header.")
    boolean csv;

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    void print(Result result, Console console) {
        if (json) {
            TablePrinter.json(result, console.out());
        } else if (csv) {
            TablePrinter.csv(result, console.out());
        } else {
            TablePrinter.aligned(result, console.out(), console.terminal());
        }
        finish(result, console);
    }

    /** What is said of the run below its rows. */
    void finish(Result result, Console console) {
        console.out().flush();
        result.run().warnings().forEach(console::warning);
        if (result.run().skippedRecords() > 0) {
            console.warning(result.run().badRecordsLeftOut());
        }
        if (console.terminal().errIsTerminal()) {
            console.note(result.run().summary());
        }
    }
}
