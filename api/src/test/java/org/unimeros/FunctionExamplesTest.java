package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.FunctionDoc;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Windows;

/** The documentation of every function is true: its example gives the result that stands beside it. */
class FunctionExamplesTest {

    private static List<FunctionDoc> all() {
        List<FunctionDoc> all = new ArrayList<>(Functions.entries());
        all.addAll(Aggregates.entries());
        all.addAll(Windows.entries());
        return all;
    }

    @Test
    void everyExampleGivesItsResult() {
        List<String> wrong = new ArrayList<>();
        try (Engine engine = Engine.local(Settings.defaults().with("runs.folder", ""))) {
            for (FunctionDoc doc : all()) {
                String made = engine.sql(doc.example()).fetch().rows().stream()
                        .map(Result.Row::toString)
                        .collect(Collectors.joining(" / "));
                if (!made.equals(doc.result())) {
                    wrong.add(doc.example() + " gives " + made + ", not " + doc.result());
                }
            }
        }
        assertEquals(List.of(), wrong);
    }

    /** Null in, null out, unless the description says what else. */
    @Test
    void everyFunctionOfValuesSaysWhatItDoesWithNulls() {
        List<String> wrong = new ArrayList<>();
        try (Engine engine = Engine.local(Settings.defaults().with("runs.folder", ""))) {
            for (FunctionDoc doc : Functions.entries()) {
                boolean special = List.of("coalesce", "ifnull", "nullif", "concat_ws", "pi", "list", "struct")
                        .contains(doc.name());
                String inside = doc.example().replaceFirst("^select " + doc.name() + "\\(", "");
                if (special
                        || inside.length() == doc.example().length()
                        || doc.name().matches("date_trunc|date_diff|position|round|trunc")) {
                    continue;
                }
                String first = "null" + inside.substring(endOfFirst(inside));
                String made = engine.sql("select " + doc.name() + "(" + first)
                        .fetch()
                        .row(0)
                        .toString();
                if (!made.isEmpty()) {
                    wrong.add("select " + doc.name() + "(" + first + " gives " + made);
                }
            }
        }
        assertEquals(List.of(), wrong);
    }

    /** Where the first of several arguments ends. */
    private static int endOfFirst(String arguments) {
        int depth = 0;
        boolean quoted = false;
        for (int i = 0; i < arguments.length(); i++) {
            char c = arguments.charAt(i);
            quoted ^= c == '\'';
            depth += quoted ? 0 : c == '(' ? 1 : c == ')' ? -1 : 0;
            if (!quoted && (depth < 0 || depth == 0 && c == ',')) {
                return i;
            }
        }
        return arguments.length();
    }
}
