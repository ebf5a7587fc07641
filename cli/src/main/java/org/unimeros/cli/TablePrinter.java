package org.unimeros.cli;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonFactoryBuilder;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.StreamWriteFeature;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.unimeros.Result;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;

/** Prints rows: aligned for people, as CSV or as JSON Lines for programs. */
final class TablePrinter {

    private static final int WIDEST = 48;
    private static final int LEAST = 8;
    private static final String GAP = "  ";
    /** For objects that end their lines themselves, and leave open what they are printed to. */
    private static final JsonFactory LINES = new JsonFactoryBuilder()
            .rootValueSeparator("")
            .disable(StreamWriteFeature.AUTO_CLOSE_TARGET)
            .build();

    private TablePrinter() {}

    /**
     * Columns under their names, numbers to the right; cells are cut where the screen is too narrow. The rows are gone
     * through twice, since all of them as text can be more than fits into memory.
     */
    static void aligned(Result result, PrintWriter out, Terminal terminal) {
        Schema schema = result.schema();
        int[] widths = widths(result, terminal);
        out.println(terminal.outColours().heading(line(schema.names(), widths, schema)));
        StringBuilder rule = new StringBuilder();
        for (int width : widths) {
            rule.append(rule.isEmpty() ? "" : GAP).append("-".repeat(width));
        }
        out.println(rule);
        result.rows().forEach(row -> out.println(line(cells(row, schema), widths, schema)));
    }

    /** Lines of text under headings, each column as wide as it must be. */
    static void lines(List<String> headings, List<List<String>> lines, Console console) {
        int[] widths = headings.stream().mapToInt(TablePrinter::length).toArray();
        for (List<String> line : lines) {
            for (int c = 0; c < widths.length; c++) {
                widths[c] = Math.max(widths[c], length(line.get(c)));
            }
        }
        console.out().println(console.terminal().outColours().heading(line(headings, widths)));
        List<String> rules = new ArrayList<>();
        for (int width : widths) {
            rules.add("-".repeat(width));
        }
        console.out().println(line(rules, widths));
        lines.forEach(cells -> console.out().println(line(cells, widths)));
        console.out().flush();
    }

    /** Lines whose last cell is cut where the screen is too narrow for it. */
    static List<List<String>> fitted(List<String> headings, List<List<String>> lines, Console console) {
        if (lines.isEmpty() || !console.terminal().outIsTerminal()) {
            return lines;
        }
        int last = lines.get(0).size() - 1;
        int before = 0;
        for (int c = 0; c < last; c++) {
            int column = c;
            before += GAP.length()
                    + Stream.concat(Stream.of(headings), lines.stream())
                            .mapToInt(line -> length(line.get(column)))
                            .max()
                            .orElse(0);
        }
        int most = Math.max(LEAST, console.terminal().columns() - before);
        return lines.stream()
                .map(line -> {
                    List<String> cells = new ArrayList<>(line);
                    cells.set(last, cut(cells.get(last), most));
                    return cells;
                })
                .map(List::copyOf)
                .toList();
    }

    private static String line(List<String> cells, int[] widths) {
        StringBuilder text = new StringBuilder();
        for (int c = 0; c < widths.length; c++) {
            text.append(c == 0 ? "" : GAP).append(cells.get(c)).append(" ".repeat(widths[c] - length(cells.get(c))));
        }
        return text.toString().stripTrailing();
    }

    private static List<String> cells(Result.Row row, Schema schema) {
        List<String> cells = new ArrayList<>();
        for (int c = 0; c < schema.size(); c++) {
            Object value = row.get(c);
            cells.add(value == null ? "null" : visible(Values.text(value)));
        }
        return cells;
    }

    private static String visible(String text) {
        return text.replace("\n", "\\n").replace("\t", "\\t").replace("\r", "\\r");
    }

    private static int[] widths(Result result, Terminal terminal) {
        Schema schema = result.schema();
        int[] widths = schema.names().stream().mapToInt(TablePrinter::length).toArray();
        for (Result.Row row : result.rows()) {
            List<String> cells = cells(row, schema);
            for (int c = 0; c < widths.length; c++) {
                widths[c] = Math.max(widths[c], length(cells.get(c)));
            }
        }
        if (terminal.outIsTerminal()) {
            narrow(widths, terminal.columns());
        }
        return widths;
    }

    /** Takes width from the widest column until the line fits, or nothing more can be taken. */
    private static void narrow(int[] widths, int screen) {
        for (int c = 0; c < widths.length; c++) {
            widths[c] = Math.min(widths[c], WIDEST);
        }
        while (total(widths) > screen) {
            int widest = 0;
            for (int c = 1; c < widths.length; c++) {
                widest = widths[c] > widths[widest] ? c : widest;
            }
            if (widths[widest] <= LEAST) {
                return;
            }
            widths[widest]--;
        }
    }

    private static int total(int[] widths) {
        int total = -GAP.length();
        for (int width : widths) {
            total += width + GAP.length();
        }
        return total;
    }

    private static int length(String text) {
        return text.codePointCount(0, text.length());
    }

    private static String line(List<String> line, int[] widths, Schema schema) {
        StringBuilder text = new StringBuilder();
        for (int c = 0; c < widths.length; c++) {
            String cell = cut(line.get(c), widths[c]);
            String padding = " ".repeat(widths[c] - length(cell));
            boolean right = schema.field(c).type().isNumeric();
            text.append(c == 0 ? "" : GAP).append(right ? padding + cell : cell + padding);
        }
        return text.toString().stripTrailing();
    }

    private static String cut(String text, int width) {
        return length(text) <= width ? text : text.substring(0, text.offsetByCodePoints(0, width - 1)) + "…";
    }

    /** CSV with a header; null is an empty field, empty text is a field of two quotes. */
    static void csv(Result result, PrintWriter out) {
        Schema schema = result.schema();
        out.print(String.join(
                        ",", schema.names().stream().map(TablePrinter::csvField).toList()) + "\n");
        for (Result.Row row : result.rows()) {
            StringBuilder line = new StringBuilder();
            for (int c = 0; c < schema.size(); c++) {
                Object value = row.get(c);
                line.append(c == 0 ? "" : ",").append(value == null ? "" : csvField(Values.text(value)));
            }
            out.print(line.append('\n'));
        }
    }

    private static String csvField(String text) {
        return needsQuotes(text) ? '"' + text.replace("\"", "\"\"") + '"' : text;
    }

    private static boolean needsQuotes(String text) {
        boolean needs = text.isEmpty();
        for (int i = 0; i < text.length() && !needs; i++) {
            char c = text.charAt(i);
            needs = c == ',' || c == '"' || c == '\n' || c == '\r';
        }
        return needs;
    }

    /** One JSON object per row. */
    static void json(Result result, PrintWriter out) {
        Schema schema = result.schema();
        try (JsonGenerator generator = LINES.createGenerator(out)) {
            for (Result.Row row : result.rows()) {
                generator.writeStartObject();
                for (int c = 0; c < schema.size(); c++) {
                    generator.writeFieldName(schema.field(c).name());
                    JsonText.write(row.get(c), generator);
                }
                generator.writeEndObject();
                generator.writeRaw('\n');
            }
        } catch (IOException e) {
            throw new IllegalStateException("what is printed to tells no errors", e);
        }
    }

    /** Something that writes JSON. */
    interface JsonBody {
        void write(JsonGenerator generator) throws IOException;
    }

    static String json(JsonBody body) {
        StringWriter text = new StringWriter();
        try (JsonGenerator generator = LINES.createGenerator(text)) {
            body.write(generator);
        } catch (IOException e) {
            throw new IllegalStateException("writing to memory failed", e);
        }
        return text.toString();
    }
}
