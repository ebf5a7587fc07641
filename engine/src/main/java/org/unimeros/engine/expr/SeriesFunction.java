package org.unimeros.engine.expr;

import java.util.List;
import java.util.stream.Stream;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.ListOf;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** The function {@code series}: whole numbers or times from a first one to a last one, as a list. */
final class SeriesFunction {

    private static final long LONGEST_SERIES = 10_000_000;

    private SeriesFunction() {}

    static Expression ofNumbers(List<Expression> args) {
        boolean small = args.stream().allMatch(a -> a.type() == DataType.INT || a.type() == DataType.NULL);
        List<Expression> bounds = args.stream()
                .map(a -> {
                    boolean whole = a.type() == DataType.LONG || a.type() == DataType.INT || a.type() == DataType.NULL;
                    if (!whole) {
                        throw new UserMistake("series needs whole numbers, but found " + a.type() + " (" + a + ")");
                    }
                    return Types.coerce(a, DataType.LONG);
                })
                .toList();
        DataType type = small ? DataType.INT : DataType.LONG;
        Kernel kernel = (columns, rows, nulls) -> ListFunctions.build(type, rows, nulls, (row, to) -> {
            long first = ((LongColumn) columns[0]).values()[row];
            long last = ((LongColumn) columns[1]).values()[row];
            long step = columns.length > 2 ? ((LongColumn) columns[2]).values()[row] : 1;
            appendSeries(first, last, step, row, small, to);
        });
        return new Call(ScalarFunction.failing("series", kernel), bounds, new ListOf(type));
    }

    /** The times from a first one to a last one, each so many intervals behind the first. */
    static Expression ofTimes(Expression first, Expression last, Interval step) {
        boolean areDates = first.type() == DataType.DATE
                && last.type() == DataType.DATE
                && step.micros() % Interval.MICROS_PER_DAY == 0;
        List<Expression> bounds = Stream.of(first, last)
                .map(e -> Types.coerce(TimeKernels.requireTime(e, "series"), DataType.TIMESTAMP))
                .toList();
        boolean isForwards = step.months() > 0 || step.micros() > 0;
        Kernel kernel = (columns, rows, nulls) ->
                ListFunctions.build(areDates ? DataType.DATE : DataType.TIMESTAMP, rows, nulls, (row, to) -> {
                    long from = ((LongColumn) columns[0]).values()[row];
                    long until = ((LongColumn) columns[1]).values()[row];
                    int count = 0;
                    for (long at = from; isForwards ? at <= until : at >= until; at = after(from, count, step, row)) {
                        if (count++ == LONGEST_SERIES) {
                            throw new RowProblem(row, "a series of more than " + LONGEST_SERIES + " times");
                        }
                        if (areDates) {
                            to.appendInt((int) Math.floorDiv(at, Interval.MICROS_PER_DAY));
                        } else {
                            to.appendLong(at);
                        }
                    }
                });
        if (step.months() == 0 && step.micros() == 0) {
            throw new UserMistake("series needs a step that is not " + step);
        }
        return new Call(
                new ScalarFunction("series(%s, %s, " + step + ")", ScalarFunction.Style.PATTERN, true, true, kernel),
                bounds,
                new ListOf(areDates ? DataType.DATE : DataType.TIMESTAMP));
    }

    private static long after(long from, int count, Interval step, int row) {
        try {
            long day = Math.floorDiv(from, Interval.MICROS_PER_DAY);
            long moved = TimeKernels.plusMonths((int) day, Math.multiplyExact(step.months(), count));
            long start = from + (moved - day) * Interval.MICROS_PER_DAY;
            return Math.addExact(start, Math.multiplyExact(step.micros(), count));
        } catch (ArithmeticException e) {
            throw new RowProblem(row, "the series leaves the range of timestamps");
        }
    }

    private static void appendSeries(long first, long last, long step, int row, boolean small, ColumnBuilder to) {
        if (step == 0) {
            throw new RowProblem(row, "a step of 0");
        }
        boolean empty = step > 0 ? first > last : first < last;
        if (empty) {
            return;
        }
        double count = ((double) last - first) / step + 1;
        if (count > LONGEST_SERIES) {
            throw new RowProblem(row, "a series of more than " + LONGEST_SERIES + " numbers");
        }
        long value = first;
        for (int i = 0; i < (long) count; i++) {
            if (small) {
                to.appendInt((int) value);
            } else {
                to.appendLong(value);
            }
            value += step;
        }
    }
}
