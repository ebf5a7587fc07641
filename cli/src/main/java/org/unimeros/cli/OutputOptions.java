package org.unimeros.cli;

import org.unimeros.Table;
import picocli.CommandLine.Option;

/** How rows are printed. */
final class OutputOptions {

    @Option(names = "--csv", description = "Prints CSV with a header.")
    boolean csv;

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    void print(Table table, Console console) {
        if (json) {
            TablePrinter.json(table, console.out());
        } else if (csv) {
            TablePrinter.csv(table, console.out());
        } else {
            TablePrinter.aligned(table, console.out(), console.terminal());
        }
        console.out().flush();
        table.run().warnings().forEach(console::warning);
        if (table.run().skippedRecords() > 0) {
            console.warning(table.run().badRecordsLeftOut());
        }
        if (console.terminal().errIsTerminal()) {
            console.note(table.run().summary());
        }
    }
}
