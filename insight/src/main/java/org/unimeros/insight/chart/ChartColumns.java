package org.unimeros.insight.chart;

import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;

/**
 * Which columns of a result name what is drawn, and which hold the numbers: the numbers are those at the end of a row, as a query that groups has
 * them. The first column is a name even if it is a number, where there are others.
 *
 * @param names places of columns; none where the only column is drawn by the number of its row
 * @param numbers places of columns, at least one
 */
public record ChartColumns(Schema schema, List<Integer> names, List<Integer> numbers) {

    public ChartColumns {
        names = List.copyOf(names);
        numbers = List.copyOf(numbers);
    }

    /**
     * The columns of a result.
     *
     * @throws UserMistake where there is nothing to draw
     */
    public static ChartColumns of(Schema schema) {
        int columns = schema.size();
        int from = columns;
        while (from > (columns == 1 ? 0 : 1) && isNumber(schema, from - 1)) {
            from--;
        }
        int first = from;
        List<Integer> numbers = from < columns
                ? IntStream.range(from, columns).boxed().toList()
                : IntStream.range(0, columns)
                        .filter(c -> isNumber(schema, c))
                        .boxed()
                        .toList();
        if (numbers.isEmpty()) {
            throw new UserMistake("a chart needs a column of numbers; the rows have " + schema.qualified(null)
                    + ": count or sum something, or cast a column to a number");
        }
        List<Integer> names = IntStream.range(0, columns)
                .filter(c -> first < columns ? c < first : !numbers.contains(c))
                .boxed()
                .toList();
        return new ChartColumns(schema, names, numbers);
    }

    private static boolean isNumber(Schema schema, int column) {
        return schema.field(column).type().isNumeric();
    }

    /** Whether the rows follow something that runs from left to right: a time, a date, a number. */
    public boolean areAlongSomething() {
        return !names.isEmpty() && Across.Kind.of(type(names.get(0))) != Across.Kind.TEXT;
    }

    DataType type(int column) {
        return schema.field(column).type();
    }

    String name(int column) {
        return schema.field(column).name();
    }

    /** The names of what is drawn: {@code parcels and weight by day}. */
    String title() {
        List<String> drawn = numbers.stream().map(this::name).toList();
        String all = drawn.size() == 1
                ? drawn.get(0)
                : String.join(", ", drawn.subList(0, drawn.size() - 1)) + " and " + drawn.get(drawn.size() - 1);
        return names.isEmpty() ? all : all + " by " + by(names);
    }

    String by(List<Integer> columns) {
        return columns.isEmpty() ? "row" : columns.stream().map(this::name).collect(Collectors.joining(", "));
    }

    /** The values of columns as one name. */
    static String label(Object[] row, List<Integer> columns) {
        return columns.stream()
                .map(c -> row[c] == null ? "null" : visible(Values.text(row[c])))
                .collect(Collectors.joining(" · "));
    }

    private static String visible(String text) {
        String shown = text.replaceAll("\\p{Cntrl}", " ");
        return shown.isBlank() ? "'" + shown + "'" : shown;
    }
}
