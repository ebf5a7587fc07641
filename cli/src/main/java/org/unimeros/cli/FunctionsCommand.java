package org.unimeros.cli;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.FunctionDoc;
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

    @Override
    public Integer call() {
        List<FunctionDoc> all = new ArrayList<>(Functions.entries());
        all.addAll(Aggregates.entries());
        all.addAll(Windows.entries());
        List<FunctionDoc> shown = all.stream()
                .filter(f -> name == null || f.name().equals(name.toLowerCase(Locale.ROOT)))
                .toList();
        if (shown.isEmpty()) {
            List<String> names = all.stream().map(FunctionDoc::name).toList();
            throw new UserMistake("there is no function " + name + NameSuggestions.hint(name, names));
        }
        if (json) {
            shown.forEach(f -> console.out().println(json(f)));
        } else if (name != null) {
            shown.forEach(this::inFull);
        } else {
            list(shown);
        }
        return ExitCode.DONE;
    }

    private void list(List<FunctionDoc> shown) {
        int widest = shown.stream().mapToInt(f -> f.usage().length()).max().orElse(0);
        String kind = "";
        for (FunctionDoc f : shown) {
            if (!f.kind().equals(kind)) {
                kind = f.kind();
                console.out().println(heading(kind));
            }
            console.out()
                    .println("  " + f.usage() + " ".repeat(widest - f.usage().length()) + "  " + f.description());
        }
        console.out().println("Shown with an example: unimeros functions NAME");
    }

    private static String heading(String kind) {
        return switch (kind) {
            case "value" -> "Functions of values; the result is null where an argument is, unless it says otherwise";
            case "aggregate" -> "Aggregates; each can have filter (where …) behind it";
            default -> "Window functions; aggregates can be used like them";
        };
    }

    private void inFull(FunctionDoc f) {
        console.out().println(f.usage());
        console.out().println("  " + f.description());
        console.out().println("  example: " + f.example());
        console.out().println("  gives:   " + (f.result().isEmpty() ? "null" : f.result()));
    }

    private static String json(FunctionDoc f) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("name", f.name());
            g.writeStringField("usage", f.usage());
            g.writeStringField("kind", f.kind());
            g.writeStringField("description", f.description());
            g.writeStringField("example", f.example());
            g.writeStringField("result", f.result());
            g.writeEndObject();
        });
    }
}
