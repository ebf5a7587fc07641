package org.unimeros.engine.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.List;
import java.util.function.DoubleUnaryOperator;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions.Resolver;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** Functions of numbers. */
final class NumberFunctions {

    private NumberFunctions() {}

    private static Expression abs(Expression n) {
        if (n.type().physical() == DataType.Physical.WIDE) {
            Expression negative = Operators.compare("<", n, new Literal(0, DataType.INT));
            return Operators.choose(List.of(new Case.Branch(negative, Operators.negate(n))), n);
        }
        Kernel kernel = Arithmetic.abs(n.type().physical());
        ScalarFunction abs =
                n.type().isFloating() ? ScalarFunction.call("abs", kernel) : ScalarFunction.failing("abs", kernel);
        return new Call(abs, List.of(n), n.type());
    }

    static void define(Functions.Table t) {
        t.define("abs", 1, 1, args -> abs(Functions.number(args.get(0), "abs")));
        t.define("sign", 1, 1, args -> {
            Expression n = Functions.number(args.get(0), "sign");
            Literal zero = new Literal(0, DataType.INT);
            return Operators.choose(
                    List.of(
                            new Case.Branch(Operators.compare("<", n, zero), new Literal(-1, DataType.INT)),
                            new Case.Branch(Operators.compare(">", n, zero), new Literal(1, DataType.INT)),
                            new Case.Branch(Operators.compare("=", n, zero), zero)),
                    new Literal(null, DataType.INT));
        });
        t.define("floor", 1, 1, ofDouble("floor", Math::floor));
        t.define("ceil", 1, 1, ofDouble("ceil", Math::ceil));
        t.define("round", 1, 2, args -> rounded("round", args, RoundingMode.HALF_UP));
        t.define("trunc", 1, 2, args -> rounded("trunc", args, RoundingMode.DOWN));
        t.define("mod", 2, 2, args -> Operators.arithmetic("%", args.get(0), args.get(1)));
        t.define(
                "div",
                2,
                2,
                args -> Operators.cast(
                        rounded("trunc", List.of(quotient(args)), RoundingMode.DOWN), DataType.LONG, false));
        t.define("sqrt", 1, 1, partly("sqrt", Math::sqrt, v -> v < 0));
        t.define("cbrt", 1, 1, ofDouble("cbrt", Math::cbrt));
        t.define("exp", 1, 1, ofDouble("exp", Math::exp));
        t.define("ln", 1, 1, partly("ln", Math::log, v -> v <= 0));
        t.define("log10", 1, 1, partly("log10", Math::log10, v -> v <= 0));
        t.define("power", 2, 2, args -> ofTwo("power", args, Math::pow));
        t.define("degrees", 1, 1, ofDouble("degrees", Math::toDegrees));
        t.define("radians", 1, 1, ofDouble("radians", Math::toRadians));
        t.define("sin", 1, 1, ofDouble("sin", Math::sin));
        t.define("cos", 1, 1, ofDouble("cos", Math::cos));
        t.define("tan", 1, 1, ofDouble("tan", Math::tan));
        t.define("asin", 1, 1, partly("asin", Math::asin, v -> v < -1 || v > 1));
        t.define("acos", 1, 1, partly("acos", Math::acos, v -> v < -1 || v > 1));
        t.define("atan", 1, 1, ofDouble("atan", Math::atan));
        t.define("atan2", 2, 2, args -> ofTwo("atan2", args, Math::atan2));
        t.define("pi", 0, 0, args -> new Literal(Math.PI, DataType.DOUBLE));
    }

    private static Expression quotient(List<Expression> args) {
        Expression a = Types.coerce(Functions.number(args.get(0), "div"), DataType.DOUBLE);
        return Operators.arithmetic("/", a, Types.coerce(Functions.number(args.get(1), "div"), DataType.DOUBLE));
    }

    private static Expression rounded(String name, List<Expression> args, RoundingMode mode) {
        Expression n = Functions.number(args.get(0), name);
        int digits = 0;
        if (args.size() == 2) {
            if (!(args.get(1) instanceof Literal l) || !(l.value() instanceof Integer d)) {
                throw new UserMistake(name + " needs a whole literal as its digits, but found " + args.get(1));
            }
            digits = d;
        }
        int places = digits;
        boolean isWhole = n.type() == DataType.INT || n.type() == DataType.LONG;
        if (isWhole && places >= 0) {
            return n;
        }
        if (places < 0 && (isWhole || n.type() instanceof Decimal)) {
            return roundedToTens(name, n, places, mode);
        }
        boolean cuts = mode == RoundingMode.DOWN;
        String call = places == 0 ? name + "(%s)" : name + "(%s, " + places + ")";
        if (n.type() instanceof Decimal d) {
            int scale = Math.clamp(places, 0, d.scale());
            if (mode == RoundingMode.HALF_UP) {
                return Operators.cast(n, new Decimal(d.precision(), scale), false);
            }
            int dropped = d.scale() - scale;
            Kernel kernel = (a, rows, nulls) -> DecimalKernels.cut(a[0], rows, nulls, dropped);
            return new Call(ScalarFunction.pattern(call, kernel), List.of(n), new Decimal(d.precision(), scale));
        }
        Kernel kernel = (a, rows, nulls) -> doubles(a[0], rows, nulls, v -> Narrowing.rounded(v, places, cuts));
        return new Call(ScalarFunction.pattern(call, kernel), List.of(n), DataType.DOUBLE);
    }

    /** Rounds once, to tens, hundreds and so on; a whole number stays one. */
    private static Expression roundedToTens(String name, Expression n, int places, RoundingMode mode) {
        DataType type = n.type() instanceof Decimal d
                ? new Decimal(Math.min(Decimal.MAX_PRECISION, d.precision() + 1), 0)
                : n.type();
        DataType from = n.type();
        Kernel kernel = (args, rows, nulls) -> {
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < rows; i++) {
                Object value = Values.get(args[0], i, from);
                if (value == null) {
                    out.appendNull();
                    continue;
                }
                BigDecimal rounded =
                        new BigDecimal(value.toString()).setScale(places, mode).setScale(0);
                try {
                    Object result = type == DataType.INT
                            ? (Object) rounded.intValueExact()
                            : type == DataType.LONG ? (Object) rounded.longValueExact() : rounded;
                    Values.append(out, result);
                } catch (ArithmeticException e) {
                    throw RowProblem.outOfRange(i, value + " rounded to " + rounded, type);
                }
            }
            return out.build();
        };
        ScalarFunction f = new ScalarFunction(
                name + "(%s, " + places + ")",
                ScalarFunction.Style.PATTERN,
                true,
                from instanceof DataType.Simple,
                kernel);
        return new Call(f, List.of(n), type);
    }

    /** A result that is too large for a double is no infinity but a problem of its row. */
    private static double[] finite(String name, double[] results, int rows, long[] nulls, double[]... arguments) {
        for (int i = 0; i < rows; i++) {
            if (Double.isInfinite(results[i]) && !Arithmetic.isNull(nulls, i)) {
                StringBuilder shown = new StringBuilder();
                boolean allFinite = true;
                for (double[] argument : arguments) {
                    allFinite &= Double.isFinite(argument[i]);
                    shown.append(shown.isEmpty() ? "" : ", ").append(argument[i]);
                }
                if (allFinite) {
                    throw RowProblem.outOfRange(i, name + "(" + shown + ")", DataType.DOUBLE);
                }
            }
        }
        return results;
    }

    private static Resolver ofDouble(String name, TravellingFunctions.OfDouble each) {
        Kernel kernel = (args, rows, nulls) -> {
            DoubleColumn made = (DoubleColumn) doubles(args[0], rows, nulls, each);
            finite(name, made.values(), rows, nulls, ((DoubleColumn) args[0]).values());
            return made;
        };
        return args -> new Call(
                ScalarFunction.failing(name, kernel),
                List.of(Types.coerce(Functions.number(args.get(0), name), DataType.DOUBLE)),
                DataType.DOUBLE);
    }

    /** A function that is not defined everywhere. */
    private static Resolver partly(
            String name, TravellingFunctions.OfDouble each, TravellingFunctions.DoubleTest isOutside) {
        Kernel kernel = (args, rows, nulls) -> {
            double[] values = ((DoubleColumn) args[0]).values();
            for (int i = 0; i < rows; i++) {
                if (isOutside.test(values[i]) && !Arithmetic.isNull(nulls, i)) {
                    throw new RowProblem(i, name + " is not defined for " + values[i]);
                }
            }
            return doubles(args[0], rows, nulls, each);
        };
        return args -> new Call(
                ScalarFunction.failing(name, kernel),
                List.of(Types.coerce(Functions.number(args.get(0), name), DataType.DOUBLE)),
                DataType.DOUBLE);
    }

    private static Expression ofTwo(String name, List<Expression> args, TravellingFunctions.OfDoubles each) {
        Kernel kernel = (columns, rows, nulls) -> {
            double[] a = ((DoubleColumn) columns[0]).values();
            double[] b = ((DoubleColumn) columns[1]).values();
            double[] out = new double[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = each.applyAsDouble(a[i], b[i]);
            }
            return new DoubleColumn(finite(name, out, rows, nulls, a, b), nulls);
        };
        List<Expression> typed = args.stream()
                .map(a -> Types.coerce(Functions.number(a, name), DataType.DOUBLE))
                .toList();
        return new Call(ScalarFunction.failing(name, kernel), typed, DataType.DOUBLE);
    }

    private static Column doubles(Column column, int rows, long[] nulls, DoubleUnaryOperator each) {
        double[] values = ((DoubleColumn) column).values();
        double[] out = new double[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = each.applyAsDouble(values[i]);
        }
        return new DoubleColumn(out, nulls);
    }
}
