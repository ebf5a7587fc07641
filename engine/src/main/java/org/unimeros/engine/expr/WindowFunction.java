package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import org.unimeros.engine.data.DataType;

/**
 * A function over the rows of a partition, as seen from each of its rows.
 *
 * @param arguments expressions over the row; for {@link Kind#AGGREGATE} those of the aggregate
 * @param aggregate what is summarised over the frame, for {@link Kind#AGGREGATE}
 * @param number how many rows behind or ahead, which row of the frame, or into how many parts; else 0
 * @param frame which rows are seen, for the kinds that look at a frame
 */
public record WindowFunction(
        Kind kind, List<Expression> arguments, Optional<Aggregate> aggregate, int number, Frame frame, DataType type)
        implements Serializable {

    /** What is computed. */
    public enum Kind {
        ROW_NUMBER,
        RANK,
        DENSE_RANK,
        PERCENT_RANK,
        CUME_DIST,
        NTILE,
        /** The first argument {@code number} rows before this one, else the second argument. */
        LAG,
        LEAD,
        FIRST_VALUE,
        LAST_VALUE,
        NTH_VALUE,
        AGGREGATE
    }

    /** How the distance of a bound is measured. */
    public enum Unit {
        /** In rows. */
        ROWS,
        /** In values of the only order key; rows with equal keys belong together. */
        RANGE
    }

    /** Where a frame begins or ends. */
    public enum BoundKind {
        UNBOUNDED_PRECEDING,
        PRECEDING,
        CURRENT_ROW,
        FOLLOWING,
        UNBOUNDED_FOLLOWING
    }

    /**
     * A bound of a frame.
     *
     * @param rows the distance in rows, else 0
     * @param value the value of the order key at the bound, for a distance in values
     */
    public record Bound(BoundKind kind, long rows, Optional<Expression> value) implements Serializable {
        public static Bound of(BoundKind kind) {
            return new Bound(kind, 0, Optional.empty());
        }

        @Override
        public String toString() {
            String words = kind.name().toLowerCase(Locale.ROOT).replace('_', ' ');
            boolean distance = kind == BoundKind.PRECEDING || kind == BoundKind.FOLLOWING;
            return !distance ? words : value.isPresent() ? words + " to " + value.get() : rows + " " + words;
        }
    }

    /** The rows that are seen from a row. */
    public record Frame(Unit unit, Bound start, Bound end) implements Serializable {
        /** All rows of the partition. */
        public static final Frame ALL =
                new Frame(Unit.ROWS, Bound.of(BoundKind.UNBOUNDED_PRECEDING), Bound.of(BoundKind.UNBOUNDED_FOLLOWING));
        /** All rows up to this one and those with equal keys. */
        public static final Frame UP_TO_PEERS =
                new Frame(Unit.RANGE, Bound.of(BoundKind.UNBOUNDED_PRECEDING), Bound.of(BoundKind.CURRENT_ROW));

        @Override
        public String toString() {
            return unit.name().toLowerCase(Locale.ROOT) + " between " + start + " and " + end;
        }
    }

    public WindowFunction {
        arguments = List.copyOf(arguments);
    }

    /** All expressions over the input. */
    public List<Expression> expressions() {
        List<Expression> all = new ArrayList<>(arguments);
        frame.start().value().ifPresent(all::add);
        frame.end().value().ifPresent(all::add);
        return all;
    }

    /** The same function of other expressions. */
    public WindowFunction map(UnaryOperator<Expression> change) {
        Frame changed = new Frame(frame.unit(), map(frame.start(), change), map(frame.end(), change));
        return new WindowFunction(
                kind,
                arguments.stream().map(change).toList(),
                aggregate.map(a -> a.map(change)),
                number,
                changed,
                type);
    }

    private static Bound map(Bound bound, UnaryOperator<Expression> change) {
        return new Bound(bound.kind(), bound.rows(), bound.value().map(change));
    }

    /** Whether the result depends on the frame. */
    public boolean usesFrame() {
        return kind == Kind.FIRST_VALUE || kind == Kind.LAST_VALUE || kind == Kind.NTH_VALUE || kind == Kind.AGGREGATE;
    }

    @Override
    public String toString() {
        String inside = arguments.stream().map(Expression::toString).collect(Collectors.joining(", "));
        String call = aggregate
                .map(Aggregate::toString)
                .orElseGet(() -> kind.name().toLowerCase(Locale.ROOT) + "(" + inside
                        + (number == 0 ? "" : (inside.isEmpty() ? "" : ", ") + number) + ")");
        boolean plain = !usesFrame() || frame.equals(Frame.UP_TO_PEERS) || frame.equals(Frame.ALL);
        return plain ? call : call + " over " + frame;
    }
}
