package org.unimeros.engine.expr;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Literal;

/**
 * A summary of the rows of a group.
 *
 * @param argument the summarised value; empty for {@code count(*)}. Nulls are left out
 * @param type the type of the result
 */
public record Aggregate(Kind kind, Optional<Expression> argument, DataType type) {

    /** How values are summarised. */
    public enum Kind {
        COUNT,
        SUM,
        AVG,
        MIN,
        MAX
    }

    private static final Map<String, String> USAGES = usages();

    private static Map<String, String> usages() {
        Map<String, String> map = new TreeMap<>();
        map.put("count", "The number of rows, count(*), or of values that are not null, count(value).");
        map.put("sum", "The exact sum of numbers; null without any.");
        map.put("avg", "The mean of numbers, as a double; null without any.");
        map.put("min", "The least value; null without any.");
        map.put("max", "The greatest value; null without any.");
        map.put("share", "The share of rows for which a condition is true, among those for which it is not null.");
        map.put("bool_or", "Whether some condition is true; null without any.");
        map.put("bool_and", "Whether every condition is true; null without any.");
        return map;
    }

    /** Names and descriptions of all aggregates. */
    public static Map<String, String> entries() {
        return USAGES;
    }

    public static boolean isName(String name) {
        return USAGES.containsKey(name.toLowerCase(Locale.ROOT));
    }

    public static Aggregate countRows() {
        return new Aggregate(Kind.COUNT, Optional.empty(), DataType.LONG);
    }

    /**
     * The aggregate of a name.
     *
     * @param onlyWhere counts only rows for which this is true, as {@code filter (where …)} says
     * @throws UserMistake when the argument does not fit
     */
    public static Aggregate of(String name, List<Expression> args, Optional<Expression> onlyWhere) {
        String low = name.toLowerCase(Locale.ROOT);
        if (args.isEmpty() && low.equals("count")) {
            return onlyWhere
                    .map(c -> count(restricted(new Literal(1, DataType.INT), c)))
                    .orElseGet(Aggregate::countRows);
        }
        if (args.size() != 1) {
            throw new UserMistake(low + " takes one argument, but found " + args.size());
        }
        Expression arg = args.get(0);
        if (low.equals("share")) {
            Expression truth = Operators.truth(arg, "share");
            arg = Operators.cast(Operators.cast(truth, DataType.INT, false), DataType.DOUBLE, false);
        }
        Expression value = arg;
        Expression limited = onlyWhere.map(c -> restricted(value, c)).orElse(value);
        return switch (low) {
            case "count" -> count(limited);
            case "sum" -> new Aggregate(Kind.SUM, Optional.of(number(limited, low)), sumType(limited.type()));
            case "avg", "share" -> new Aggregate(Kind.AVG, Optional.of(number(limited, low)), DataType.DOUBLE);
            case "min" -> new Aggregate(Kind.MIN, Optional.of(limited), limited.type());
            case "max" -> new Aggregate(Kind.MAX, Optional.of(limited), limited.type());
            case "bool_or" -> new Aggregate(Kind.MAX, Optional.of(Operators.truth(limited, low)), DataType.BOOLEAN);
            default -> new Aggregate(Kind.MIN, Optional.of(Operators.truth(limited, low)), DataType.BOOLEAN);
        };
    }

    private static Aggregate count(Expression e) {
        return new Aggregate(Kind.COUNT, Optional.of(e), DataType.LONG);
    }

    private static Expression restricted(Expression value, Expression condition) {
        return Operators.choose(List.of(new Case.Branch(condition, value)), new Literal(null, value.type()));
    }

    private static Expression number(Expression e, String name) {
        if (!e.type().isNumeric()) {
            throw new UserMistake(name + " needs a number, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }

    private static DataType sumType(DataType type) {
        return switch (type) {
            case DataType.Simple.INT -> DataType.LONG;
            case Decimal d -> new Decimal(Decimal.MAX_PRECISION, d.scale());
            default -> type;
        };
    }

    @Override
    public String toString() {
        return kind.name().toLowerCase(Locale.ROOT) + "("
                + argument.map(Expression::toString).orElse("*") + ")";
    }
}
