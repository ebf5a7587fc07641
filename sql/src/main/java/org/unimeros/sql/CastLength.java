package org.unimeros.sql;

import java.util.List;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;

/**
 * The type of a cast, and the length in parentheses behind it. A text is cut to its length, as in the SQL standard; what other lengths
 * would change is refused.
 *
 * @param length in characters; -1 for none
 */
record CastLength(DataType type, int length) {

    private static final Pattern WITH_LENGTH =
            Pattern.compile("([a-z ]+?) ?\\( ?([0-9]{1,9}) ?\\)( (?:with|without) time zone)?");
    private static final String MICROSECONDS = "6";

    static CastLength of(String written) {
        Matcher matcher = WITH_LENGTH.matcher(written.strip().toLowerCase(Locale.ROOT));
        if (!matcher.matches()) {
            return new CastLength(DataType.parse(written), -1);
        }
        String name = matcher.group(1).strip();
        return switch (name) {
            case "varchar", "character varying", "char varying", "text" ->
                new CastLength(DataType.TEXT, Integer.parseInt(matcher.group(2)));
            case "decimal", "numeric" -> new CastLength(DataType.parse(written), -1);
            case "timestamp", "time" -> {
                if (!matcher.group(2).equals(MICROSECONDS)) {
                    throw Refused.unsupported(
                            written, "times have microseconds; use date_trunc('second', …) to cut them");
                }
                yield new CastLength(DataType.parse(name), -1);
            }
            default ->
                throw Refused.unsupported(
                        written,
                        name.startsWith("char")
                                ? "texts are not filled with blanks; use varchar(n), or rpad(…)"
                                : "write the type without a length");
        };
    }

    Expression cast(Expression value, boolean orNull) {
        Expression made = Operators.cast(value, type, orNull);
        return length < 0 ? made : Functions.call("left", List.of(made, new Literal(length, DataType.INT)));
    }
}
