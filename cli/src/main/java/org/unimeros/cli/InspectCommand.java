package org.unimeros.cli;

import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.DatasetInfo;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "inspect",
        description =
                "Tells what a dataset is made of: columns, format, partitions, files, bytes, rows, and what to beware of.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros inspect --data demo scans")
final class InspectCommand extends ConsoleCommand {

    /** Up to this size, rows are counted by reading where the format does not tell. */
    private static final long COUNTED_BYTES = 1L << 30;

    /** The same for a listing of all datasets. */
    private static final long LISTED_BYTES = 64L << 20;

    private static final int SHOWN_PARTITIONS = 5;

    @Mixin
    EngineOptions options = new EngineOptions();

    @Mixin
    InputOptions input = new InputOptions();

    @Parameters(
            paramLabel = "DATASET",
            arity = "0..1",
            description = "The name of a dataset, or a path; without one, all datasets of --data are listed.")
    String dataset;

    @Option(names = "--partitions", description = "Lists every partition.")
    boolean allPartitions;

    @Option(names = "--count", description = "Counts the rows by reading them, however large the dataset is.")
    boolean count;

    @Option(names = "--json", description = "Prints JSON.")
    boolean json;

    /** Rows and bad records; -1 where they were not counted. */
    private record Counted(long rows, long bad) {}

    @Override
    public Integer call() {
        Settings settings =
                options.settings(console).with("bad-records", "skip").with("bad-records.limit", "" + Long.MAX_VALUE);
        try (Engine engine = options.open(console, settings)) {
            if (dataset == null && !input.isEmpty()) {
                throw new UserMistake("--option and --format say how one dataset is read; name it");
            }
            if (dataset == null) {
                list(engine);
            } else {
                DatasetInfo info = engine.inspect(dataset, input::apply);
                Counted counted = count(engine, info, COUNTED_BYTES);
                if (json) {
                    console.out().println(TablePrinter.json(g -> json(g, info, counted)));
                } else {
                    print(info, counted);
                }
            }
            return ExitCode.DONE;
        }
    }

    private void list(Engine engine) {
        if (options.data == null) {
            console.note("name a dataset, or a folder of datasets with --data");
            return;
        }
        List<List<String>> lines = new ArrayList<>();
        for (String name : engine.datasets()) {
            try {
                DatasetInfo info = engine.inspect(name);
                Counted counted = count(engine, info, LISTED_BYTES);
                if (json) {
                    console.out().println(TablePrinter.json(g -> json(g, info, counted)));
                }
                lines.add(List.of(
                        name,
                        info.format(),
                        Sizes.count(info.files()),
                        Sizes.bytes(info.bytes()),
                        counted.rows < 0 ? "not counted" : Sizes.count(counted.rows)));
            } catch (UnimerosException e) {
                // One that cannot be opened says nothing of the others.
                console.warning(name + ": " + e.getMessage());
                lines.add(List.of(name, "?", "", "", ""));
            }
        }
        if (!json) {
            TablePrinter.lines(List.of("dataset", "format", "files", "size", "rows"), lines, console);
        }
    }

    private Counted count(Engine engine, DatasetInfo info, long mostBytes) {
        if (info.rows() >= 0) {
            return new Counted(info.rows(), 0);
        }
        if (!count && info.bytes() > mostBytes) {
            return new Counted(-1, -1);
        }
        // Counting each column reads all values, so that values which do not fit their column are found too.
        List<String> counts = new ArrayList<>(List.of("count(*) as n"));
        info.schema().names().forEach(c -> counts.add("count(\"" + c + "\") as \"n " + c + "\""));
        Result result = engine.read(info.name(), input::apply)
                .summarise(counts.toArray(String[]::new))
                .fetch();
        return new Counted(result.row(0).longValue("n"), result.run().skippedRecords());
    }

    private void print(DatasetInfo info, Counted counted) {
        line("dataset", info.name());
        line("location", info.location());
        line("format", info.format());
        line("files", Sizes.count(info.files()) + " of " + Sizes.bytes(info.bytes()));
        line("rows", counted.rows < 0 ? "not known without reading them; use --count" : Sizes.count(counted.rows));
        if (counted.bad > 0) {
            line("bad records", Sizes.count(counted.bad) + "; leave them out with --on-bad-record skip or divert");
        }
        console.out().println("columns");
        int widest = widest(info.schema().names());
        int widestType = widest(
                info.schema().fields().stream().map(f -> f.type().toString()).toList());
        for (Field field : info.schema().fields()) {
            String partition = info.partitionColumns().contains(field.name()) ? "partition" : "";
            String line = "  " + padded(field.name(), widest) + "  "
                    + padded(field.type().toString(), widestType) + "  " + partition;
            console.out().println(line.stripTrailing());
        }
        if (!info.partitions().isEmpty()) {
            partitions(info.partitions());
        }
        for (String warning : info.warnings()) {
            console.out().println("warning: " + warning);
        }
    }

    private static int widest(List<String> texts) {
        return texts.stream().mapToInt(String::length).max().orElse(0);
    }

    private static String padded(String text, int width) {
        return text + " ".repeat(width - text.length());
    }

    private void line(String name, String value) {
        console.out().println(name + " ".repeat(13 - name.length()) + value);
    }

    private void partitions(List<DatasetInfo.Partition> partitions) {
        line("partitions", Sizes.count(partitions.size()));
        boolean all = allPartitions || partitions.size() <= SHOWN_PARTITIONS + 1;
        List<DatasetInfo.Partition> shown = all ? partitions : partitions.subList(0, SHOWN_PARTITIONS - 1);
        shown.forEach(this::partition);
        if (!all) {
            console.out()
                    .println("  … " + Sizes.count(partitions.size() - SHOWN_PARTITIONS) + " more, see --partitions");
            partition(partitions.get(partitions.size() - 1));
        }
    }

    private void partition(DatasetInfo.Partition p) {
        console.out().println("  " + p.name() + "  " + Sizes.count(p.files(), "file") + ", " + Sizes.bytes(p.bytes()));
    }

    private static void json(JsonGenerator g, DatasetInfo info, Counted counted) throws IOException {
        g.writeStartObject();
        g.writeStringField("name", info.name());
        g.writeStringField("location", info.location());
        g.writeStringField("format", info.format());
        g.writeNumberField("files", info.files());
        g.writeNumberField("bytes", info.bytes());
        if (counted.rows >= 0) {
            g.writeNumberField("rows", counted.rows);
            g.writeNumberField("bad_records", counted.bad);
        }
        g.writeArrayFieldStart("columns");
        for (Field field : info.schema().fields()) {
            g.writeStartObject();
            g.writeStringField("name", field.name());
            g.writeStringField("type", field.type().toString());
            g.writeBooleanField("partition", info.partitionColumns().contains(field.name()));
            g.writeEndObject();
        }
        g.writeEndArray();
        g.writeArrayFieldStart("partitions");
        for (DatasetInfo.Partition p : info.partitions()) {
            g.writeStartObject();
            g.writeStringField("name", p.name());
            g.writeNumberField("files", p.files());
            g.writeNumberField("bytes", p.bytes());
            g.writeEndObject();
        }
        g.writeEndArray();
        g.writeArrayFieldStart("warnings");
        for (String warning : info.warnings()) {
            g.writeString(warning);
        }
        g.writeEndArray();
        g.writeEndObject();
    }
}
