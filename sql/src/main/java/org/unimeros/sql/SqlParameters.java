package org.unimeros.sql;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;

/** Values for the parameters of a text. */
public final class SqlParameters {

    private static final Pattern NUMBER = Pattern.compile("-?(0|[1-9][0-9]*)(\\.[0-9]+)?([eE][-+]?[0-9]+)?");

    private SqlParameters() {}

    /**
     * Java values as literals: Boolean, Integer, Long, Double, BigDecimal, String, LocalDate, Instant or null.
     *
     * @throws UserMistake for a value of another class, naming the parameter
     */
    public static Map<String, Literal> of(Map<String, ?> values) {
        Map<String, Literal> literals = new HashMap<>();
        values.forEach((name, value) -> literals.put(name, literal(name, value)));
        return literals;
    }

    private static Literal literal(String name, Object value) {
        return switch (value) {
            case null -> new Literal(null, DataType.NULL);
            case Boolean b -> new Literal(b, DataType.BOOLEAN);
            case Integer i -> new Literal(i, DataType.INT);
            case Long l -> new Literal(l, DataType.LONG);
            case Double d -> new Literal(d, DataType.DOUBLE);
            case String s -> new Literal(s, DataType.TEXT);
            case LocalDate d -> new Literal(d, DataType.DATE);
            case Instant i -> new Literal(i, DataType.TIMESTAMP);
            case BigDecimal d -> decimal(d);
            default ->
                throw new UserMistake("parameter " + name + " is a "
                        + value.getClass().getSimpleName() + "; use a boolean, number, text, LocalDate or Instant");
        };
    }

    private static Literal decimal(BigDecimal value) {
        BigDecimal plain = value.scale() < 0 ? value.setScale(0) : value;
        int precision = Math.max(plain.precision(), plain.scale() + 1);
        return new Literal(plain, new DataType.Decimal(precision, plain.scale()));
    }

    /**
     * What a text on the command line means: numbers, true, false and null, SQL literals such as {@code date
     * '2031-03-02'}, and anything else, also with leading zeros, as text.
     */
    public static Literal parse(String text) {
        String bare = text.strip();
        boolean isLiteral =
                NUMBER.matcher(bare).matches() || bare.matches("(?i)true|false|null|(date|timestamp)\\s*'.*'|'.*'");
        if (!isLiteral) {
            return new Literal(text, DataType.TEXT);
        }
        Expression value = SqlExpressions.PLAIN.expression(bare, new Schema(List.of()));
        return value instanceof Literal l ? l : Evaluator.fold(value);
    }
}
