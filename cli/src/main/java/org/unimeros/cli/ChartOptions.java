package org.unimeros.cli;

import java.nio.file.Path;
import org.unimeros.Chart;
import org.unimeros.Result;
import org.unimeros.Rows;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.chart.ChartColumns;
import org.unimeros.insight.chart.ChartImage;
import picocli.CommandLine.Option;

/** How rows are drawn. */
final class ChartOptions {

    @Option(
            names = "--chart",
            paramLabel = "FORM",
            description =
                    "Draws the rows instead of printing them: bar or line. The numbers are the columns of numbers at the end of"
                            + " a row; the columns before them name what is drawn.")
    String chart;

    @Option(
            names = "--chart-to",
            paramLabel = "FILE",
            description = "Draws the rows as an image as well: a .png or an .svg. What is there is replaced.")
    Path file;

    /** Refuses what does not go together, before anything runs. */
    void check(OutputOptions output, String to) {
        if (chart != null) {
            form();
        }
        if (file != null) {
            ChartImage.check(file);
        }
        String option = chart != null ? "--chart" : "--chart-to";
        if (to != null && isGiven()) {
            throw new UserMistake(option + " draws rows, and --to writes them; draw them in a second query");
        }
        if (chart != null && (output.csv || output.json)) {
            throw new UserMistake("--chart draws rows instead of printing them; for an image beside "
                    + (output.csv ? "--csv" : "--json") + " use --chart-to FILE.png");
        }
    }

    /** Whether anything is to be drawn. */
    boolean isGiven() {
        return chart != null || file != null;
    }

    private Chart.Form form() {
        for (Chart.Form form : Chart.Form.values()) {
            if (form.toString().equals(chart)) {
                return form;
            }
        }
        throw new UserMistake("--chart takes bar or line, not '" + chart + "'");
    }

    /** Prints the rows, or draws them; rows that cannot be drawn are not computed. */
    void print(Rows rows, OutputOptions output, Console console) {
        if (!isGiven()) {
            output.print(rows.fetch(), console);
            return;
        }
        ChartColumns.of(rows.schema());
        Result result = rows.fetch();
        Chart drawn = chart == null ? result.chart() : result.chart(form());
        if (chart == null) {
            output.print(result, console);
        } else {
            Terminal terminal = console.terminal();
            console.out().println(drawn.text(terminal.columns(), terminal.isPlain()));
            output.finish(result, console);
        }
        drawn.notes().forEach(console::note);
        if (file != null) {
            drawn.write(file);
            console.note("wrote " + file);
        }
    }
}
