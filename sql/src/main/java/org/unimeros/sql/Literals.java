package org.unimeros.sql;

import java.math.BigDecimal;
import java.util.Locale;
import net.sf.jsqlparser.expression.BooleanValue;
import net.sf.jsqlparser.expression.DateTimeLiteralExpression;
import net.sf.jsqlparser.expression.DoubleValue;
import net.sf.jsqlparser.expression.HexValue;
import net.sf.jsqlparser.expression.IntervalExpression;
import net.sf.jsqlparser.expression.LongValue;
import net.sf.jsqlparser.expression.NullValue;
import net.sf.jsqlparser.expression.StringValue;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.CurrentTime;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Interval;

/** The values that literals stand for. */
final class Literals {

    private Literals() {}

    static Expression currentTime(String written) {
        return switch (written.replace("()", "").toLowerCase(Locale.ROOT)) {
            case "current_date" -> CurrentTime.today();
            case "current_timestamp", "localtimestamp", "now" -> CurrentTime.now();
            default -> throw Refused.unsupported(written, "use current_date, or now()");
        };
    }

    static Expression of(net.sf.jsqlparser.expression.Expression node) {
        return switch (node) {
            case StringValue s -> new Literal(TextLiteral.of(s), DataType.TEXT);
            case LongValue l -> whole(l);
            case DoubleValue d -> fraction(d.toString());
            case BooleanValue b -> b.getValue() ? Literal.TRUE : Literal.FALSE;
            case NullValue n -> new Literal(null, DataType.NULL);
            case DateTimeLiteralExpression d -> time(d);
            case HexValue h -> bytes(h);
            case IntervalExpression i ->
                throw new UserMistake(
                        "an interval can only be added to or subtracted from a date or timestamp, as in: at + " + i);
            default ->
                throw Refused.unsupported(
                        node.toString(), "use the functions that `unimeros functions` lists, or what docs/SQL.md says");
        };
    }

    static Interval interval(IntervalExpression i) {
        if (i.getExpression() != null) {
            throw Refused.unsupported(
                    "the interval " + i,
                    "write its amount as a literal, as in interval '45' minute, or multiply it:"
                            + " minutes * interval '1' minute");
        }
        String amount = SqlNames.unquoted(String.valueOf(i.getParameter())).strip();
        String written = i.toString();
        String last = written.substring(written.lastIndexOf(' ') + 1);
        String unit = last.endsWith("'") ? null : last;
        if (unit == null && amount.contains(" ")) {
            int blank = amount.indexOf(' ');
            return Interval.of(
                    amount.substring(0, blank), amount.substring(blank + 1).strip());
        }
        return Interval.of(amount, unit == null ? "" : unit);
    }

    private static Expression whole(LongValue value) {
        try {
            long number = Long.parseLong(value.getStringValue());
            return number == (int) number
                    ? new Literal((int) number, DataType.INT)
                    : new Literal(number, DataType.LONG);
        } catch (NumberFormatException e) {
            return fraction(value.getStringValue());
        }
    }

    private static Expression bytes(HexValue value) {
        String digits = value.getValue().strip();
        if (!digits.startsWith("X'") && !digits.startsWith("x'")) {
            throw Refused.unsupported(
                    "the number " + digits, "write it with decimal digits; bytes are written as X'0aff'");
        }
        return new Literal(
                Bytes.ofHex(digits.substring(2, digits.length() - 1))
                        .orElseThrow(() -> new UserMistake(
                                digits + " has no even number of hexadecimal digits; write it as X'0aff'")),
                DataType.BYTES);
    }

    /** A number with a point is an exact decimal, one with an exponent a double. */
    private static Expression fraction(String text) {
        if (text.toLowerCase(Locale.ROOT).contains("e")) {
            double value = Double.parseDouble(text);
            if (Double.isInfinite(value)) {
                throw new UserMistake("the number " + text + " is out of range for double");
            }
            return new Literal(value, DataType.DOUBLE);
        }
        BigDecimal value = new BigDecimal(text);
        int precision = Math.max(value.precision(), value.scale() + 1);
        if (precision > DataType.Decimal.MAX_PRECISION) {
            throw new UserMistake("the number " + text + " has more than " + DataType.Decimal.MAX_PRECISION
                    + " digits; write it as a double: " + text + "e0");
        }
        return new Literal(value, new DataType.Decimal(precision, Math.max(0, value.scale())));
    }

    private static Expression time(DateTimeLiteralExpression d) {
        DataType type = switch (d.getType()) {
            case DATE -> DataType.DATE;
            case TIME -> DataType.TIME;
            case TIMESTAMP, TIMESTAMPTZ, DATETIME -> DataType.TIMESTAMP;
            default ->
                throw Refused.unsupported("a literal of type " + d.getType(), "use a date, a time or a timestamp");
        };
        String value = SqlNames.unquoted(d.getValue());
        Object parsed = Parse.value(value, type)
                .orElseThrow(() -> new UserMistake("'" + value + "' is not a " + type + "; write it as "
                        + (type == DataType.DATE
                                ? "date '2031-03-04'"
                                : type == DataType.TIME ? "time '16:05:00'" : "timestamp '2031-03-04 16:05:00'")));
        return new Literal(parsed, type);
    }
}
