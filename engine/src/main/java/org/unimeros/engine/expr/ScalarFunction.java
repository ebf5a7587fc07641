package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.List;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Column;

/**
 * A function of values, resolved for the types of its arguments.
 *
 * @param strict whether the result is null wherever an argument is; the kernel of one that is not sets its own nulls
 * @param canFail whether some argument values make it fail
 */
public record ScalarFunction(String name, Style style, boolean strict, boolean canFail, Kernel kernel)
        implements Serializable {

    /** How a call of the function is written. */
    public enum Style {
        CALL,
        /** The name stands before the second argument, or around %s where that stands in it. */
        INFIX,
        PREFIX,
        SUFFIX,
        /** The name is the whole call, with %s where the argument stands. */
        PATTERN
    }

    /** Computes the function for all rows of a batch at once. */
    @FunctionalInterface
    public interface Kernel extends Serializable {
        /**
         * @param args one column per argument, each with at least {@code rows} rows
         * @param nulls the rows in which some argument is null, or null; a strict kernel gives its result these nulls
         * @throws RowProblem when the function has no result for a row
         */
        Column apply(Column[] args, int rows, long[] nulls);
    }

    /** A row for which a kernel has no result. */
    @SuppressWarnings("serial")
    static final class RowProblem extends RuntimeException {
        final transient int row;
        /** What to do about it. */
        final transient String advice;

        RowProblem(int row, String message) {
            this(row, message, "filter such rows");
        }

        private RowProblem(int row, String message, String advice) {
            super(message, null, false, false);
            this.row = row;
            this.advice = advice;
        }

        static RowProblem divisionByZero(int row) {
            return new RowProblem(row, "division by zero", "filter such rows, or divide by nullif(…, 0) to get null");
        }

        /** @param what a value, or how it is computed */
        static RowProblem outOfRange(int row, String what, Object type) {
            return new RowProblem(
                    row,
                    what + " is out of range for " + type,
                    "cast the operands to a wider type, or filter such rows");
        }
    }

    static ScalarFunction call(String name, Kernel kernel) {
        return new ScalarFunction(name, Style.CALL, true, false, kernel);
    }

    static ScalarFunction failing(String name, Kernel kernel) {
        return new ScalarFunction(name, Style.CALL, true, true, kernel);
    }

    static ScalarFunction pattern(String call, Kernel kernel) {
        return new ScalarFunction(call, Style.PATTERN, true, false, kernel);
    }

    static ScalarFunction infix(String name, boolean canFail, Kernel kernel) {
        return new ScalarFunction(name, Style.INFIX, true, canFail, kernel);
    }

    String print(List<Expression> args) {
        return switch (style) {
            case CALL -> args.stream().map(Expression::toString).collect(Collectors.joining(", ", name + "(", ")"));
            case INFIX -> {
                String around = name.contains("%s") ? name : name + " %s";
                yield Expression.paren(args.get(0)) + " " + around.replace("%s", Expression.paren(args.get(1)));
            }
            case PREFIX -> name + Expression.paren(args.get(0));
            case SUFFIX -> Expression.paren(args.get(0)) + " " + name;
            case PATTERN -> filled(args);
        };
    }

    private String filled(List<Expression> args) {
        StringBuilder out = new StringBuilder();
        int from = 0;
        int argument = 0;
        for (int at = name.indexOf("%s"); at >= 0; at = name.indexOf("%s", from)) {
            out.append(name, from, at).append(args.get(Math.min(argument++, args.size() - 1)));
            from = at + 2;
        }
        return out.append(name, from, name.length()).toString();
    }

    /** Functions are the same when they have the same name; their argument types stand beside them. */
    @Override
    public boolean equals(Object other) {
        return other instanceof ScalarFunction that && name.equals(that.name) && style == that.style;
    }

    @Override
    public int hashCode() {
        return name.hashCode();
    }
}
