package org.unimeros.engine.expr;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Arrays;
import java.util.List;
import java.util.function.IntFunction;
import org.unimeros.engine.expr.Expression.And;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.InList;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Not;
import org.unimeros.engine.expr.Expression.Or;

/** Decides from the least and greatest value of columns whether a piece of data can hold a row of interest. */
public final class Ranges {

    private Ranges() {}

    /**
     * What is known of a column in a piece of data. Values are as in a {@link Literal}.
     *
     * @param least a lower bound, or null when it is not known
     * @param greatest an upper bound, or null when it is not known
     * @param nulls the number of nulls, or -1 when it is not known
     * @param rows the number of rows
     */
    public record Range(Comparable<?> least, Comparable<?> greatest, long nulls, long rows) {}

    /**
     * False only when the condition is not true for any row.
     *
     * @param columns what is known of a column, or null
     */
    public static boolean canMatch(Expression condition, IntFunction<Range> columns) {
        return switch (condition) {
            case And and -> and.operands().stream().allMatch(e -> canMatch(e, columns));
            case Or or -> or.operands().stream().anyMatch(e -> canMatch(e, columns));
            case Call call -> compare(call, columns);
            case InList in -> in(in, columns);
            case IsNull test -> isNull(test.operand(), columns);
            case Not not -> notNull(not.operand(), columns);
            case Literal literal -> Boolean.TRUE.equals(literal.value());
            default -> true;
        };
    }

    private static boolean compare(Call call, IntFunction<Range> columns) {
        if (call.args().size() != 2) {
            return true;
        }
        String op = call.function().name();
        Expression a = call.args().get(0);
        Expression b = call.args().get(1);
        if (a instanceof ColumnRef column && b instanceof Literal literal) {
            return compare(op, columns.apply(column.index()), literal.value());
        }
        if (b instanceof ColumnRef column && a instanceof Literal literal) {
            return compare(mirrored(op), columns.apply(column.index()), literal.value());
        }
        return true;
    }

    private static String mirrored(String op) {
        return switch (op) {
            case "<" -> ">";
            case ">" -> "<";
            case "<=" -> ">=";
            case ">=" -> "<=";
            default -> op;
        };
    }

    private static boolean compare(String op, Range range, Object value) {
        if (range == null || value == null) {
            return true;
        }
        if (range.nulls == range.rows && range.rows > 0) {
            return !List.of("=", "<>", "<", ">", "<=", ">=").contains(op);
        }
        return switch (op) {
            case "=" -> order(range.least, value) <= 0 && order(range.greatest, value) >= 0;
            case "<" -> isUnknown(range.least, value) || order(range.least, value) < 0;
            case "<=" -> order(range.least, value) <= 0;
            case ">" -> above(range.greatest, value, false);
            case ">=" -> above(range.greatest, value, true);
            default -> true;
        };
    }

    private static boolean above(Comparable<?> greatest, Object value, boolean orEqual) {
        if (isUnknown(greatest, value) || value instanceof Double) {
            // NaN is above every number but is left out of statistics
            return true;
        }
        int order = order(greatest, value);
        return orEqual ? order >= 0 : order > 0;
    }

    /** Compares bound and value; 0, which excludes nothing, when the bound is not known. */
    @SuppressWarnings("unchecked")
    private static int order(Comparable<?> bound, Object value) {
        if (isUnknown(bound, value)) {
            return 0;
        }
        if (value instanceof String text) {
            return compareText((String) bound, text);
        }
        return ((Comparable<Object>) bound).compareTo(value);
    }

    private static boolean isUnknown(Comparable<?> bound, Object value) {
        return bound == null || bound.getClass() != value.getClass();
    }

    private static int compareText(String a, String b) {
        byte[] x = a.getBytes(UTF_8);
        byte[] y = b.getBytes(UTF_8);
        return Arrays.compareUnsigned(x, y);
    }

    private static boolean in(InList in, IntFunction<Range> columns) {
        if (!(in.operand() instanceof ColumnRef column)) {
            return true;
        }
        Range range = columns.apply(column.index());
        return in.values().stream().anyMatch(v -> compare("=", range, v.value()));
    }

    private static boolean isNull(Expression operand, IntFunction<Range> columns) {
        Range range = operand instanceof ColumnRef column ? columns.apply(column.index()) : null;
        return range == null || range.nulls != 0;
    }

    private static boolean notNull(Expression operand, IntFunction<Range> columns) {
        if (operand instanceof IsNull test && test.operand() instanceof ColumnRef column) {
            Range range = columns.apply(column.index());
            return range == null || range.nulls < 0 || range.nulls < range.rows;
        }
        return true;
    }
}
