package org.unimeros.engine.expr;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.WindowFunction.Frame;
import org.unimeros.engine.expr.WindowFunction.Kind;

/** The window functions beside aggregates, each with the lines that document it. */
public final class Windows {

    private static final String ROWS = " from (values (1), (2), (2), (5)) t(x) order by x";
    private static final Map<String, FunctionDoc> ALL = all();

    private Windows() {}

    public static Collection<FunctionDoc> entries() {
        return Collections.unmodifiableCollection(ALL.values());
    }

    public static Collection<String> names() {
        return ALL.keySet();
    }

    public static boolean isName(String name) {
        return ALL.containsKey(name.toLowerCase(Locale.ROOT));
    }

    private static Map<String, FunctionDoc> all() {
        Map<String, FunctionDoc> map = new TreeMap<>();
        FunctionTexts.of("windows")
                .forEach((name, t) -> map.put(
                        name,
                        new FunctionDoc(
                                name,
                                t.usage() + " over (…)",
                                "window",
                                t.description(),
                                "select " + t.example() + ROWS,
                                t.result())));
        return map;
    }

    /**
     * The function of a name.
     *
     * @param frame what {@code over (…)} says of the frame
     * @throws UserMistake when the arguments do not fit
     */
    public static WindowFunction of(String name, List<Expression> args, Frame frame) {
        return switch (name) {
            case "row_number" -> none(name, args, Kind.ROW_NUMBER, DataType.LONG);
            case "rank" -> none(name, args, Kind.RANK, DataType.LONG);
            case "dense_rank" -> none(name, args, Kind.DENSE_RANK, DataType.LONG);
            case "percent_rank" -> none(name, args, Kind.PERCENT_RANK, DataType.DOUBLE);
            case "cume_dist" -> none(name, args, Kind.CUME_DIST, DataType.DOUBLE);
            case "ntile" -> {
                requireCount(name, args, 1, 1);
                yield function(Kind.NTILE, List.of(), number(name, args.get(0), 1), Frame.ALL, DataType.INT);
            }
            case "lag" -> shifted(name, args, Kind.LAG);
            case "lead" -> shifted(name, args, Kind.LEAD);
            case "nth_value" -> {
                requireCount(name, args, 2, 2);
                Expression value = args.get(0);
                yield function(Kind.NTH_VALUE, List.of(value), number(name, args.get(1), 1), frame, value.type());
            }
            default -> {
                requireCount(name, args, 1, 1);
                Kind kind = name.equals("first_value") ? Kind.FIRST_VALUE : Kind.LAST_VALUE;
                yield function(kind, args, 0, frame, args.get(0).type());
            }
        };
    }

    private static WindowFunction function(Kind kind, List<Expression> args, int number, Frame frame, DataType type) {
        return new WindowFunction(kind, args, Optional.empty(), number, frame, type);
    }

    private static WindowFunction none(String name, List<Expression> args, Kind kind, DataType type) {
        requireCount(name, args, 0, 0);
        return function(kind, args, 0, Frame.ALL, type);
    }

    private static WindowFunction shifted(String name, List<Expression> args, Kind kind) {
        requireCount(name, args, 1, 3);
        int distance = args.size() > 1 ? number(name, args.get(1), -Integer.MAX_VALUE) : 1;
        if (distance < 0) {
            // So many rows behind is as many ahead, and the other way round.
            List<Expression> other = new ArrayList<>(args);
            other.set(1, new Literal(-distance, DataType.INT));
            return shifted(name, other, kind == Kind.LAG ? Kind.LEAD : Kind.LAG);
        }
        Expression otherwise =
                args.size() > 2 ? args.get(2) : new Literal(null, args.get(0).type());
        List<Expression> unified = Types.unify(List.of(args.get(0), otherwise), name);
        return function(kind, unified, distance, Frame.ALL, unified.get(0).type());
    }

    private static void requireCount(String name, List<Expression> args, int least, int most) {
        if (args.size() < least || args.size() > most) {
            throw new UserMistake(
                    "window function " + name + " is called as " + ALL.get(name).usage() + ", but found " + args.size()
                            + (args.size() == 1 ? " argument" : " arguments"));
        }
    }

    private static int number(String name, Expression e, int least) {
        if (e instanceof Literal l && l.value() instanceof Integer n && n >= least) {
            return n;
        }
        throw new UserMistake(name + " needs a whole number of at least " + least + ", but found " + e);
    }
}
