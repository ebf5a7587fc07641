package org.unimeros.cli;

import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import org.unimeros.Engine;
import org.unimeros.MapReduce;
import org.unimeros.Records;
import org.unimeros.Run;
import org.unimeros.code.Program;
import org.unimeros.engine.record.TextSlice;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "mapreduce",
        description = {
            "Runs external programs as mapper and reducer over lines of text.",
            "The mapper reads lines and writes a key, a tab and a value per line. The reducer reads such lines, all of a key"
                    + " together and keys in order, and writes lines, which become the files of OUT, one per reducer.",
            "A line such as {\"group\": \"parcels\", \"name\": \"heavy\", \"add\": 3} in the file that UNIMEROS_COUNTERS names adds"
                    + " to a counter. What they write to their error output goes to the log."
        },
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = {
            "  unimeros mapreduce --mapper \"tr ' ' '\\n'\" \\",
            "           --reducer \"awk -F'\\t' '{n[\\$1]++} END {for (w in n) print w, n[w]}'\" \\",
            "           --reducers 3 demo/notes out/words"
        })
final class MapReduceCommand extends ConsoleCommand {

    @Mixin
    EngineOptions options = new EngineOptions();

    @Mixin
    FileOptions files = new FileOptions();

    @Option(names = "--mapper", required = true, paramLabel = "COMMAND", description = "A line for the shell.")
    String mapper;

    @Option(
            names = "--combiner",
            paramLabel = "COMMAND",
            description = "Reads what the reducer would and writes the same form.")
    String combiner;

    @Option(names = "--reducer", required = true, paramLabel = "COMMAND", description = "A line for the shell.")
    String reducer;

    @Option(names = "--reducers", paramLabel = "N", description = "How many reducers there are.")
    Integer reducers;

    @Option(names = "--separator", paramLabel = "TEXT", description = "Between key and value; a tab unless given.")
    String separator;

    @Option(
            names = "--attach",
            paramLabel = "FILE",
            description = "A file that the programs find under its name in the folder where they run. Can be repeated.")
    List<Path> attached = List.of();

    @Option(
            names = "--silence",
            paramLabel = "SECONDS",
            description = "For so long a program may neither read nor write; 600 unless given.")
    Long silenceSeconds;

    @Option(
            names = "--mode",
            paramLabel = "MODE",
            defaultValue = "fail",
            description = "What becomes of data that is there: fail (unless given), append or replace.")
    String mode;

    @Parameters(index = "0", paramLabel = "IN", description = "Files of lines, or a folder of them.")
    String in;

    @Parameters(index = "1", paramLabel = "OUT", description = "The folder that the lines are written to.")
    String out;

    private Program program(String command) {
        Program program = Program.shell(command);
        program = separator == null ? program : program.separatedBy(separator);
        return silenceSeconds == null ? program : program.limitedTo(Duration.ofSeconds(silenceSeconds));
    }

    @Override
    public Integer call() {
        try (Engine engine = options.open(console)) {
            attached.forEach(file -> engine.attach(file.getFileName().toString(), file));
            Records<TextSlice> lines =
                    engine.read(in, as -> files.apply(as.format("text"))).as(TextSlice.class);
            MapReduce<TextSlice, TextSlice> pairs = lines.mapReduce(
                    TextSlice.class, TextSlice.class, program(mapper).sliceMapper());
            pairs = combiner == null ? pairs : pairs.combine(program(combiner).sliceCombiner());
            pairs = reducers == null ? pairs : pairs.reducers(reducers);
            Run run = pairs.reduce(TextSlice.class, program(reducer).sliceReducer())
                    .write(out, as -> as.format("text").mode(mode));
            run.warnings().forEach(console::warning);
            console.note("wrote " + out + ": " + run.summary());
            return ExitCode.DONE;
        }
    }
}
