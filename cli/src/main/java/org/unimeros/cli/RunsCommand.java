package org.unimeros.cli;

import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.diagnosis.RunSummary;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "runs",
        description =
                "Lists runs by their records, with the worst that was found in each; or those of a coordinator, under way"
                        + " and of the last hour.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros runs",
            "  unimeros runs --of parcels --newest 5",
            "  unimeros runs --coordinator http://127.0.0.1:7420"
        })
final class RunsCommand extends ConsoleCommand {

    private static final int TITLE = 48;
    private static final int NEWEST = 20;

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Mixin
    RecordOptions records = new RecordOptions();

    @Option(names = "--newest", paramLabel = "N", description = "So many records, the newest first; 20 unless given.")
    Integer newest;

    @Option(names = "--of", paramLabel = "TEXT", description = "Only records of runs that have this in what they did.")
    String of;

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    @Override
    public Integer call() {
        if (newest != null && newest < 1) {
            throw new UserMistake("--newest needs a number of at least 1, but found " + newest);
        }
        boolean asksForRecords = records.runs != null || newest != null || of != null;
        if (asksForRecords && options.coordinator != null) {
            throw new UserMistake(
                    "--runs, --newest and --of are of records, and a coordinator lists its own runs; leave out the"
                            + " one or the other");
        }
        return !asksForRecords && options.isGiven(console) ? ofCoordinator() : ofRecords();
    }

    private int ofRecords() {
        RunFolder folder = records.folder(console);
        List<RunEntry> runs = new ArrayList<>();
        int most = newest == null ? NEWEST : newest;
        for (Path path : folder.newest(of == null ? most : Integer.MAX_VALUE)) {
            if (runs.size() == most) {
                break;
            }
            try {
                if (isWanted(path)) {
                    runs.add(new RunEntry(RunSummary.of(path)));
                }
            } catch (UnimerosException e) {
                console.warning(e.getMessage());
            }
        }
        if (json) {
            runs.forEach(r -> console.out().println(r.json()));
            return ExitCode.DONE;
        }
        if (runs.isEmpty()) {
            boolean isNone = folder.folder().toString().isEmpty();
            console.note(
                    of != null && !isNone
                            ? "no record in " + folder.folder() + " is of a run with " + of
                            : isNone
                                    ? "runs keep no records, since runs.folder is empty"
                                    : "there are no run records in " + folder.folder());
            return ExitCode.DONE;
        }
        List<List<String>> lines = runs.stream().map(RunEntry::cells).toList();
        TablePrinter.lines(RunEntry.HEADINGS, TablePrinter.fitted(RunEntry.HEADINGS, lines, console), console);
        return ExitCode.DONE;
    }

    private boolean isWanted(Path record) {
        return of == null || RunRecord.title(record).toLowerCase(Locale.ROOT).contains(of.toLowerCase(Locale.ROOT));
    }

    private int ofCoordinator() {
        List<RunView> runs = options.client(console).runs();
        if (json) {
            runs.forEach(r -> console.out().println(json(r)));
            return ExitCode.DONE;
        }
        if (runs.isEmpty()) {
            console.note("no run is under way, and none was in the last hour");
            return ExitCode.DONE;
        }
        List<List<String>> lines = new ArrayList<>();
        for (RunView r : runs) {
            lines.add(List.of(
                    r.id(),
                    state(r),
                    r.stagesFinished() + " of " + r.stages(),
                    tasks(r),
                    Sizes.millis((r.endedAt() == 0 ? System.currentTimeMillis() : r.endedAt()) - r.startedAt()),
                    r.job() == null ? "" : r.job(),
                    title(r)));
        }
        List<String> headings = List.of("run", "state", "stages", "tasks", "time", "job", "what");
        TablePrinter.lines(headings, TablePrinter.fitted(headings, lines, console), console);
        return ExitCode.DONE;
    }

    /** Those that are done, and those that run. */
    static String tasks(RunView r) {
        String done = Sizes.count(r.tasksFinished());
        return r.tasksRunning() == 0 ? done : done + " + " + r.tasksRunning();
    }

    static String title(RunView r) {
        return title(r.title());
    }

    static String title(String whole) {
        String title = whole.replaceAll("\\s+", " ");
        return title.length() > TITLE ? title.substring(0, TITLE - 1) + "…" : title;
    }

    private static String state(RunView r) {
        return r.state().name().toLowerCase(Locale.ROOT).replace('_', ' ');
    }

    private static String json(RunView r) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("run", r.id());
            g.writeStringField("title", r.title());
            g.writeStringField("job", r.job());
            g.writeStringField("state", state(r));
            g.writeNumberField("stages", r.stages());
            g.writeNumberField("stagesFinished", r.stagesFinished());
            g.writeNumberField("tasksRunning", r.tasksRunning());
            g.writeNumberField("tasksFinished", r.tasksFinished());
            g.writeNumberField("rows", r.rows());
            g.writeStringField("started", Instant.ofEpochMilli(r.startedAt()).toString());
            if (r.endedAt() > 0) {
                g.writeStringField("ended", Instant.ofEpochMilli(r.endedAt()).toString());
            }
            if (r.failure() != null) {
                g.writeStringField("reason", r.failure().text());
            }
            g.writeEndObject();
        });
    }
}
