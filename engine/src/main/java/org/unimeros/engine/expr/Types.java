package org.unimeros.engine.expr;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.DataType.ListOf;
import org.unimeros.engine.data.DataType.Struct;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Cast;
import org.unimeros.engine.expr.Expression.Literal;

/** Which types meet in which, and the casts that make them meet. */
public final class Types {

    private Types() {}

    /** The type that both fit without losing digits before the point; empty when there is none. */
    public static Optional<DataType> common(DataType a, DataType b) {
        if (a.equals(b) || b == DataType.NULL) {
            return Optional.of(a);
        }
        if (a == DataType.NULL) {
            return Optional.of(b);
        }
        if (a.isNumeric() && b.isNumeric()) {
            return Optional.of(numeric(a, b));
        }
        if (a instanceof ListOf x && b instanceof ListOf y) {
            return common(x.element(), y.element()).map(ListOf::new);
        }
        if (a instanceof Struct x && b instanceof Struct y) {
            return structs(x, y);
        }
        boolean times =
                (a == DataType.DATE || a == DataType.TIMESTAMP) && (b == DataType.DATE || b == DataType.TIMESTAMP);
        return times ? Optional.of(DataType.TIMESTAMP) : Optional.empty();
    }

    /** Structs meet when they have the same field names in the same order. */
    private static Optional<DataType> structs(Struct a, Struct b) {
        List<Struct.Part> parts = new ArrayList<>();
        for (int i = 0; i < a.parts().size(); i++) {
            boolean same = b.parts().size() == a.parts().size()
                    && b.indexOf(a.parts().get(i).name()) == i;
            Optional<DataType> type =
                    same ? common(a.parts().get(i).type(), b.parts().get(i).type()) : Optional.empty();
            if (type.isEmpty()) {
                return Optional.empty();
            }
            parts.add(new Struct.Part(a.parts().get(i).name(), type.get()));
        }
        return Optional.of(new Struct(parts));
    }

    /** The type with text wherever nothing but nulls is known. */
    public static DataType known(DataType type) {
        return switch (type) {
            case DataType.Simple.NULL -> DataType.TEXT;
            case ListOf list -> new ListOf(known(list.element()));
            case Struct struct ->
                new Struct(struct.parts().stream()
                        .map(p -> new Struct.Part(p.name(), known(p.type())))
                        .toList());
            default -> type;
        };
    }

    static DataType numeric(DataType a, DataType b) {
        if (a.isFloating() || b.isFloating()) {
            return a == b ? a : DataType.DOUBLE;
        }
        if (a instanceof Decimal || b instanceof Decimal) {
            Decimal x = decimal(a);
            Decimal y = decimal(b);
            int scale = Math.max(x.scale(), y.scale());
            int whole = Math.max(x.precision() - x.scale(), y.precision() - y.scale());
            return new Decimal(Math.min(Decimal.MAX_PRECISION, whole + scale), scale);
        }
        return a == DataType.LONG || b == DataType.LONG ? DataType.LONG : DataType.INT;
    }

    /** The decimal type that holds every value of a whole-number type, as far as there is one. */
    static Decimal decimal(DataType type) {
        return switch (type) {
            case Decimal d -> d;
            case DataType.Simple.INT -> new Decimal(10, 0);
            default -> new Decimal(19, 0);
        };
    }

    /** The expression in another type, cast where it has not got it already. Literals are converted at once. */
    public static Expression coerce(Expression e, DataType type) {
        if (e.type().equals(type)) {
            return e;
        }
        boolean nested = type instanceof ListOf || type instanceof Struct;
        if (e instanceof Literal literal && !(nested && literal.value() != null)) {
            Object value = literal.value() == null ? null : Casts.convert(literal.value(), literal.type(), type);
            if (value != null || literal.value() == null) {
                return new Literal(value, type);
            }
        }
        return new Cast(e, type, false, true);
    }

    /** Brings all expressions to one type. A text literal beside a date or timestamp is read as one. */
    public static List<Expression> unify(List<Expression> all, String where) {
        DataType type = DataType.NULL;
        for (Expression e : all) {
            DataType before = type;
            type = common(type, e.type())
                    .or(() -> timeLiteral(before, e, all))
                    .orElseThrow(() -> new UserMistake(where + " needs values of one type, but found " + before
                            + " and " + e.type() + " (" + e + ")" + advice(before, e.type())));
        }
        DataType common = type;
        return all.stream().map(e -> typed(e, common, where)).toList();
    }

    private static String advice(DataType a, DataType b) {
        DataType other = a == DataType.TEXT ? b : b == DataType.TEXT ? a : null;
        return other == null ? "" : "; use cast(… as " + other + ") or cast(… as text)";
    }

    private static Optional<DataType> timeLiteral(DataType type, Expression e, List<Expression> all) {
        boolean time = isTime(type) && isTextLiteral(e);
        boolean reversed = type == DataType.TEXT && isTime(e.type()) && isTextLiteral(all.get(0));
        return time ? Optional.of(type) : reversed ? Optional.of(e.type()) : Optional.empty();
    }

    private static Expression typed(Expression e, DataType type, String where) {
        if (isTime(type) && isTextLiteral(e)) {
            String text = (String) ((Literal) e).value();
            return new Literal(
                    Parse.value(text, type)
                            .orElseThrow(() -> new UserMistake(
                                    where + ": '" + text + "' is not a " + type + "; write it as " + example(type))),
                    type);
        }
        return coerce(e, type);
    }

    private static String example(DataType type) {
        return type == DataType.DATE ? "2031-03-04" : type == DataType.TIME ? "16:05:00" : "2031-03-04 16:05:00";
    }

    private static boolean isTime(DataType type) {
        return type == DataType.DATE || type == DataType.TIMESTAMP || type == DataType.TIME;
    }

    private static boolean isTextLiteral(Expression e) {
        return e instanceof Literal l && l.value() instanceof String;
    }
}
