package org.unimeros.engine.window;

import java.util.List;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.WindowFunction.Kind;
import org.unimeros.engine.sort.SortedRows;

/** The values of one window function for the rows of one partition, row after row. */
@FunctionalInterface
interface WindowValues {

    /** Appends the value for a row, which is the current one of the partition. */
    void append(long row, ColumnBuilder out);

    /** The function over a partition; {@code expressions} are those of its rows. */
    static WindowValues of(Evaluator evaluator, WindowFunction f, Partition p, List<Expression> expressions) {
        return switch (f.kind()) {
            case ROW_NUMBER -> (row, out) -> out.appendLong(row - p.start() + 1);
            case RANK -> (row, out) -> out.appendLong(p.peerStart() - p.start() + 1);
            case DENSE_RANK -> (row, out) -> out.appendLong(p.peerGroups());
            case PERCENT_RANK ->
                (row, out) ->
                        out.appendDouble(p.size() == 1 ? 0 : (double) (p.peerStart() - p.start()) / (p.size() - 1));
            case CUME_DIST -> (row, out) -> out.appendDouble((double) (p.peerEnd() - p.start()) / p.size());
            case NTILE -> (row, out) -> out.appendInt(tile(row - p.start(), p.size(), f.number()));
            case LAG, LEAD -> shifted(f, p, expressions);
            case FIRST_VALUE, LAST_VALUE, NTH_VALUE -> ofFrame(f, p, expressions);
            case AGGREGATE -> aggregate(evaluator, f, p, expressions);
        };
    }

    /** The first parts have one row more than the others when the rows do not divide evenly. */
    private static int tile(long index, long size, int parts) {
        long least = size / parts;
        long larger = size % parts * (least + 1);
        return (int) (index < larger ? index / (least + 1) : size % parts + (index - larger) / least) + 1;
    }

    private static WindowValues shifted(WindowFunction f, Partition p, List<Expression> expressions) {
        SortedRows.Cursor cursor = p.rows().cursor();
        int value = expressions.indexOf(f.arguments().get(0));
        int otherwise = expressions.indexOf(f.arguments().get(1));
        long distance = f.kind() == Kind.LAG ? -f.number() : f.number();
        return (row, out) -> {
            long wanted = row + distance;
            boolean there = wanted >= p.start() && wanted < p.end();
            cursor.to(there ? wanted : row);
            out.append(cursor.column(there ? value : otherwise), cursor.offset());
        };
    }

    private static FramePointers pointers(WindowFunction f, Partition p, List<Expression> expressions) {
        return new FramePointers(
                p,
                f.frame(),
                f.frame().start().value().map(expressions::indexOf).orElse(-1),
                f.frame().end().value().map(expressions::indexOf).orElse(-1));
    }

    private static WindowValues ofFrame(WindowFunction f, Partition p, List<Expression> expressions) {
        SortedRows.Cursor cursor = p.rows().cursor();
        FramePointers frame = pointers(f, p, expressions);
        int value = expressions.indexOf(f.arguments().get(0));
        return (row, out) -> {
            frame.moveTo(row);
            long wanted = switch (f.kind()) {
                case FIRST_VALUE -> frame.start();
                case LAST_VALUE -> frame.end() - 1;
                default -> frame.start() + f.number() - 1;
            };
            if (wanted < frame.start() || wanted >= frame.end()) {
                out.appendNull();
            } else {
                cursor.to(wanted);
                out.append(cursor.column(value), cursor.offset());
            }
        };
    }

    private static WindowValues aggregate(
            Evaluator evaluator, WindowFunction f, Partition p, List<Expression> expressions) {
        FramePointers frame = pointers(f, p, expressions);
        int argument =
                f.arguments().isEmpty() ? -1 : expressions.indexOf(f.arguments().get(0));
        SlidingAggregate sum =
                SlidingAggregate.of(evaluator, f.aggregate().orElseThrow(), p.rows(), argument, p.start());
        return (row, out) -> {
            frame.moveTo(row);
            sum.moveTo(frame.start(), frame.end());
            sum.append(out);
        };
    }
}
