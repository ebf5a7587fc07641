package org.unimeros.cli;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.unimeros.engine.error.Near;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Windows;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "functions",
        description = "Lists the functions that expressions and queries can use.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros functions date_trunc")
final class FunctionsCommand extends ConsoleCommand {

    @Parameters(arity = "0..1", paramLabel = "NAME", description = "Shows this one only.")
    String name;

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    private record Line(String name, String usage, String kind, String description) {}

    @Override
    public Integer call() {
        List<Line> lines = new ArrayList<>();
        Functions.entries().forEach(f -> lines.add(new Line(f.name(), f.usage(), "value", f.description())));
        Aggregates.entries().forEach(f -> lines.add(new Line(f.name(), f.usage(), f.kind(), f.description())));
        Windows.entries().forEach(f -> lines.add(new Line(f.name(), f.usage(), f.kind(), f.description())));
        List<Line> shown = lines.stream()
                .filter(l -> name == null || l.name.equals(name.toLowerCase(Locale.ROOT)))
                .toList();
        if (shown.isEmpty()) {
            List<String> names = lines.stream().map(Line::name).toList();
            throw new UserMistake("there is no function " + name + Near.hint(name, names));
        }
        int widest = shown.stream().mapToInt(l -> l.usage.length()).max().orElse(0);
        for (Line line : shown) {
            console.out().println(json ? json(line) : aligned(line, widest));
        }
        return ExitCode.DONE;
    }

    private static String aligned(Line line, int widest) {
        String kind = line.kind.equals("value") ? "" : line.kind + ": ";
        return line.usage + " ".repeat(widest - line.usage.length()) + "  " + kind + line.description;
    }

    private static String json(Line line) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("name", line.name);
            g.writeStringField("usage", line.usage);
            g.writeStringField("kind", line.kind);
            g.writeStringField("description", line.description);
            g.writeEndObject();
        });
    }
}
