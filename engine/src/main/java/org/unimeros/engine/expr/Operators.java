package org.unimeros.engine.expr;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.And;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Cast;
import org.unimeros.engine.expr.Expression.InList;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Not;
import org.unimeros.engine.expr.Expression.Or;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/** Builds resolved expressions for the operators of SQL, or says which types do not fit. */
public final class Operators {

    private Operators() {}

    /** {@code + - * / %} on numbers, and sums of dates and days. */
    public static Expression arithmetic(String op, Expression left, Expression right) {
        DataType a = left.type();
        DataType b = right.type();
        if (op.equals("-") && isInstant(a) && isInstant(b) && (a == DataType.TIMESTAMP || b == DataType.TIMESTAMP)) {
            return difference(Types.coerce(left, DataType.TIMESTAMP), Types.coerce(right, DataType.TIMESTAMP));
        }
        if (a == DataType.DATE || b == DataType.DATE) {
            return dates(op, left, right);
        }
        boolean nothing = a == DataType.NULL && b == DataType.NULL;
        if (nothing || !isNumber(a) || !isNumber(b)) {
            throw new UserMistake("operator " + op + " needs two numbers, but found " + a + " (" + left + ") and " + b
                    + " (" + right + ")");
        }
        DataType both = a == DataType.NULL ? b : b == DataType.NULL ? a : Types.numeric(a, b);
        DataType type = both == DataType.FLOAT ? DataType.DOUBLE : both;
        if (type instanceof Decimal) {
            return decimals(op, left, right, (Decimal) type);
        }
        List<Expression> args = List.of(Types.coerce(left, type), Types.coerce(right, type));
        return new Call(ScalarFunction.infix(op, canFail(op, type), kernel(op, type)), args, type);
    }

    private static boolean isInstant(DataType type) {
        return type == DataType.DATE || type == DataType.TIMESTAMP;
    }

    /** The seconds from the second timestamp to the first, with microseconds. */
    private static Expression difference(Expression left, Expression right) {
        Kernel kernel = (args, rows, nulls) -> {
            long[] a = ((LongColumn) args[0]).values();
            long[] b = ((LongColumn) args[1]).values();
            long[] out = new long[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = a[i] - b[i];
                boolean fits = Math.abs(out[i]) < MOST_MICROS && ((a[i] ^ b[i]) & (a[i] ^ out[i])) >= 0;
                if (!fits && !Arithmetic.isNull(nulls, i)) {
                    throw ScalarFunction.RowProblem.outOfRange(i, "the time between both", TimeKernels.SECONDS);
                }
            }
            return new LongColumn(out, nulls);
        };
        return new Call(ScalarFunction.infix("-", true, kernel), List.of(left, right), TimeKernels.SECONDS);
    }

    private static final long MOST_MICROS = 1_000_000_000_000_000_000L;

    /** {@code time + count * interval}, or minus: an interval of days or less so many times. */
    public static Expression move(Expression time, Expression count, Interval by, boolean backwards) {
        if (by.months() != 0) {
            throw new UserMistake("an interval of months or years cannot be multiplied by " + count
                    + ", since they are not all as long; multiply one of days, or add a literal one");
        }
        boolean staysDate = time.type() == DataType.DATE && by.micros() % Interval.MICROS_PER_DAY == 0;
        if (!isInstant(time.type())) {
            throw new UserMistake(
                    "so many intervals move a date or a timestamp, but found " + time.type() + " (" + time + ")");
        }
        long unit = backwards ? -by.micros() : by.micros();
        Kernel kernel = (args, rows, nulls) -> {
            long[] from = ((LongColumn) args[0]).values();
            long[] counts = ((LongColumn) args[1]).values();
            long[] out = new long[rows];
            for (int i = 0; i < rows; i++) {
                try {
                    out[i] = Math.addExact(from[i], Math.multiplyExact(counts[i], unit));
                } catch (ArithmeticException e) {
                    if (!Arithmetic.isNull(nulls, i)) {
                        throw ScalarFunction.RowProblem.outOfRange(i, "the result", DataType.TIMESTAMP);
                    }
                }
            }
            return new LongColumn(out, nulls);
        };
        List<Expression> args = List.of(
                Types.coerce(time, DataType.TIMESTAMP),
                Types.coerce(Functions.wholeLong(count, "an interval"), DataType.LONG));
        String name = (backwards ? "- " : "+ ") + "%s * " + by;
        Expression moved = new Call(ScalarFunction.infix(name, true, kernel), args, DataType.TIMESTAMP);
        return staysDate ? cast(moved, DataType.DATE, false) : moved;
    }

    private static boolean isNumber(DataType type) {
        return type.isNumeric() || type == DataType.NULL;
    }

    private static boolean canFail(String op, DataType type) {
        return type != DataType.DOUBLE || op.equals("/") || op.equals("%");
    }

    private static Expression dates(String op, Expression left, Expression right) {
        DataType a = left.type();
        DataType b = right.type();
        if (op.equals("-") && a == DataType.DATE && b == DataType.DATE) {
            return new Call(
                    ScalarFunction.infix("-", true, Arithmetic::subtractInts), List.of(left, right), DataType.INT);
        }
        boolean days = a == DataType.DATE && b == DataType.INT && (op.equals("+") || op.equals("-"));
        if (!days) {
            throw new UserMistake("operator " + op + " is not defined for " + a + " (" + left + ") and " + b + " ("
                    + right + "); a date takes whole days or an interval, as in: day + 1, day - interval '2' hour");
        }
        Kernel kernel = op.equals("+") ? Arithmetic::addInts : Arithmetic::subtractInts;
        return new Call(ScalarFunction.infix(op, true, kernel), List.of(left, right), DataType.DATE);
    }

    private static Expression decimals(String op, Expression left, Expression right, Decimal common) {
        if (op.equals("/")) {
            return arithmetic(op, Types.coerce(left, DataType.DOUBLE), Types.coerce(right, DataType.DOUBLE));
        }
        if (op.equals("*")) {
            Decimal a = Types.decimal(left.type());
            Decimal b = Types.decimal(right.type());
            int scale = a.scale() + b.scale();
            if (scale > Decimal.MAX_PRECISION) {
                throw new UserMistake("the product of " + a + " and " + b + " needs " + scale
                        + " digits behind the point; cast one to fewer, or both to double");
            }
            Decimal type = new Decimal(Math.min(Decimal.MAX_PRECISION, a.precision() + b.precision()), scale);
            List<Expression> args = List.of(Types.coerce(left, a), Types.coerce(right, b));
            return new Call(ScalarFunction.infix(op, true, kernel(op, type)), args, type);
        }
        Decimal type = op.equals("%")
                ? common
                : new Decimal(Math.min(Decimal.MAX_PRECISION, common.precision() + 1), common.scale());
        List<Expression> args = List.of(Types.coerce(left, common), Types.coerce(right, common));
        return new Call(ScalarFunction.infix(op, true, kernel(op, type)), args, type);
    }

    private static Kernel kernel(String op, Decimal type) {
        return type.isWide() ? DecimalKernels.wide(op, type) : DecimalKernels.narrow(kernel(op, DataType.LONG), type);
    }

    private static Kernel kernel(String op, DataType type) {
        return switch (type) {
            case DataType.Simple.INT ->
                switch (op) {
                    case "+" -> Arithmetic::addInts;
                    case "-" -> Arithmetic::subtractInts;
                    case "*" -> Arithmetic::multiplyInts;
                    case "/" -> Arithmetic::divideInts;
                    default -> Arithmetic::remainderInts;
                };
            case DataType.Simple.DOUBLE ->
                switch (op) {
                    case "+" -> Arithmetic::addDoubles;
                    case "-" -> Arithmetic::subtractDoubles;
                    case "*" -> Arithmetic::multiplyDoubles;
                    case "/" -> Arithmetic::divideDoubles;
                    default -> Arithmetic::remainderDoubles;
                };
            default ->
                switch (op) {
                    case "+" -> Arithmetic::addLongs;
                    case "-" -> Arithmetic::subtractLongs;
                    case "*" -> Arithmetic::multiplyLongs;
                    case "/" -> Arithmetic::divideLongs;
                    default -> Arithmetic::remainderLongs;
                };
        };
    }

    /** A date or timestamp moved by an interval; the result is a timestamp unless only whole days move a date. */
    public static Expression move(Expression time, Interval by, boolean backwards) {
        Interval interval = backwards ? by.negated() : by;
        boolean wholeDays = interval.micros() % Interval.MICROS_PER_DAY == 0;
        if (time.type() == DataType.DATE && wholeDays) {
            int days = Math.toIntExact(interval.micros() / Interval.MICROS_PER_DAY);
            return moved(
                    time,
                    DataType.DATE,
                    by,
                    backwards,
                    (args, rows, nulls) -> moveDates(args[0], rows, interval, days));
        }
        if (time.type() == DataType.TIME) {
            return moved(
                    time, DataType.TIME, by, backwards, (args, rows, nulls) -> moveTimesOfDay(args[0], rows, interval));
        }
        if (time.type() != DataType.DATE && time.type() != DataType.TIMESTAMP) {
            throw new UserMistake(
                    "an interval moves a date, a time or a timestamp, but found " + time.type() + " (" + time + ")");
        }
        Expression instant = Types.coerce(time, DataType.TIMESTAMP);
        return moved(
                instant, DataType.TIMESTAMP, by, backwards, (args, rows, nulls) -> moveTimes(args[0], rows, interval));
    }

    private static Expression moved(Expression time, DataType type, Interval by, boolean backwards, Kernel kernel) {
        String name = (backwards ? "- " : "+ ") + by;
        return new Call(new ScalarFunction(name, ScalarFunction.Style.SUFFIX, true, true, kernel), List.of(time), type);
    }

    private static Column moveDates(Column column, int rows, Interval by, int days) {
        int[] from = ((IntColumn) column).values();
        int[] out = new int[rows];
        for (int i = 0; i < rows; i++) {
            int start = by.months() == 0 || column.isNull(i) ? from[i] : TimeKernels.plusMonths(from[i], by.months());
            out[i] = start + days;
        }
        return new IntColumn(out, column.nulls());
    }

    /** Times of day start again after midnight. */
    private static Column moveTimesOfDay(Column column, int rows, Interval by) {
        long[] from = ((LongColumn) column).values();
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = Math.floorMod(from[i] + by.micros() % Interval.MICROS_PER_DAY, Interval.MICROS_PER_DAY);
        }
        return new LongColumn(out, column.nulls());
    }

    private static Column moveTimes(Column column, int rows, Interval by) {
        long[] from = ((LongColumn) column).values();
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            long start = from[i];
            if (by.months() != 0 && !column.isNull(i)) {
                long day = Math.floorDiv(start, Interval.MICROS_PER_DAY);
                long moved = TimeKernels.plusMonths((int) day, by.months());
                start += (moved - day) * Interval.MICROS_PER_DAY;
            }
            out[i] = start + by.micros();
        }
        return new LongColumn(out, column.nulls());
    }

    /** {@code = <> < <= > >=}. */
    public static Expression compare(String op, Expression left, Expression right) {
        List<Expression> args = Types.unify(List.of(left, right), "comparison " + op);
        DataType type = args.get(0).type();
        Kernel kernel = switch (op) {
            case "=" -> Comparison.equal(type);
            case "<>" -> Comparison.not(Comparison.equal(type));
            case "<" -> Comparison.below(type);
            case ">" -> Comparison.swapped(Comparison.below(type));
            case "<=" -> Comparison.not(Comparison.swapped(Comparison.below(type)));
            case ">=" -> Comparison.not(Comparison.below(type));
            default -> throw new UserMistake("unknown comparison " + op);
        };
        return new Call(ScalarFunction.infix(op, false, kernel), args, DataType.BOOLEAN);
    }

    /** A sign before a number. */
    public static Expression negate(Expression operand) {
        DataType type = operand.type();
        if (!type.isNumeric()) {
            throw new UserMistake("a minus sign needs a number, but found " + type + " (" + operand + ")");
        }
        ScalarFunction minus = new ScalarFunction(
                "-", ScalarFunction.Style.PREFIX, true, !type.isFloating(), Arithmetic.negate(type.physical()));
        Call call = new Call(minus, List.of(operand), type);
        return operand instanceof Literal ? Evaluator.fold(call) : call;
    }

    public static Expression and(List<Expression> operands) {
        List<Expression> flat = flatten(operands, true);
        return flat.size() == 1 ? flat.get(0) : new And(flat);
    }

    public static Expression or(List<Expression> operands) {
        List<Expression> flat = flatten(operands, false);
        return flat.size() == 1 ? flat.get(0) : new Or(flat);
    }

    private static List<Expression> flatten(List<Expression> operands, boolean and) {
        List<Expression> flat = new ArrayList<>();
        for (Expression e : operands) {
            if (and && e instanceof And inner) {
                flat.addAll(inner.operands());
            } else if (!and && e instanceof Or inner) {
                flat.addAll(inner.operands());
            } else {
                flat.add(truth(e, and ? "and" : "or"));
            }
        }
        return flat;
    }

    public static Expression not(Expression operand) {
        return new Not(truth(operand, "not"));
    }

    /** Requires a condition. */
    public static Expression truth(Expression e, String where) {
        if (e.type() == DataType.NULL) {
            return new Literal(null, DataType.BOOLEAN);
        }
        if (e.type() != DataType.BOOLEAN) {
            throw new UserMistake(where + " needs a condition, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }

    public static Expression in(Expression operand, List<Expression> values) {
        List<Expression> all = new ArrayList<>(List.of(operand));
        all.addAll(values);
        List<Expression> unified = Types.unify(all, "in (…)");
        List<Expression> rest = unified.subList(1, unified.size());
        boolean simple = rest.stream().allMatch(e -> e instanceof Literal l && l.value() != null);
        if (!simple) {
            return or(rest.stream().map(e -> compare("=", unified.get(0), e)).toList());
        }
        List<Literal> distinct =
                new LinkedHashSet<>(rest).stream().map(Literal.class::cast).toList();
        return new InList(unified.get(0), distinct);
    }

    public static Expression cast(Expression operand, DataType type, boolean orNull) {
        if (!Casts.isDefined(operand.type(), type)) {
            throw new UserMistake("cannot cast " + operand.type() + " (" + operand + ") to " + type);
        }
        return operand.type() == DataType.NULL ? new Literal(null, type) : new Cast(operand, type, orNull, false);
    }

    /** The first branch whose condition holds; results are brought to one type. */
    public static Expression choose(List<Case.Branch> branches, Expression otherwise) {
        List<Expression> results =
                new ArrayList<>(branches.stream().map(Case.Branch::result).toList());
        results.add(otherwise);
        List<Expression> unified = Types.unify(results, "case");
        DataType type = unified.get(0).type();
        List<Case.Branch> typed = new ArrayList<>();
        for (int i = 0; i < branches.size(); i++) {
            typed.add(new Case.Branch(truth(branches.get(i).condition(), "when"), unified.get(i)));
        }
        return new Case(typed, unified.get(branches.size()), type);
    }

    /** The parts of a condition that must all hold; what all branches of an {@code or} have in common is one of them. */
    public static List<Expression> conjuncts(Expression condition) {
        List<Expression> parts = operands(condition);
        if (parts.stream().noneMatch(Or.class::isInstance)) {
            return parts;
        }
        List<Expression> all = new ArrayList<>();
        parts.forEach(part -> all.addAll(part instanceof Or or ? factored(or) : List.of(part)));
        return all;
    }

    private static List<Expression> operands(Expression condition) {
        return condition instanceof And and ? and.operands() : List.of(condition);
    }

    /** {@code (a and b) or (a and c)} as a, and b or c. What can fail stays behind what may guard it. */
    private static List<Expression> factored(Or or) {
        List<List<Expression>> branches =
                or.operands().stream().map(Operators::operands).toList();
        List<Expression> common = branches.get(0).stream()
                .filter(e -> !e.canFail() && branches.stream().allMatch(b -> b.contains(e)))
                .distinct()
                .toList();
        if (common.isEmpty()) {
            return List.of(or);
        }
        List<Expression> all = new ArrayList<>(common);
        List<Expression> rests = new ArrayList<>();
        for (List<Expression> branch : branches) {
            List<Expression> rest =
                    branch.stream().filter(e -> !common.contains(e)).toList();
            if (rest.isEmpty()) {
                return all;
            }
            rests.add(and(rest));
        }
        all.add(or(rests));
        return all;
    }
}
