package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.own.AggregateCode;

/**
 * A summary of the rows of a group.
 *
 * @param arguments the summarised values; none for {@code count(*)}. Rows in which the first one is null are left out,
 *     unless the kind says otherwise
 * @param order the order in which the values are taken, where the kind depends on one
 * @param parameters constants, such as the fraction of a percentile
 * @param distinct whether each value counts once
 * @param type the type of the result
 * @param own the code of the job that it is, of kind OWN
 */
public record Aggregate(
        Kind kind,
        List<Expression> arguments,
        List<SortKey> order,
        List<Object> parameters,
        boolean distinct,
        DataType type,
        Optional<Own> own)
        implements Serializable {

    /** An aggregate that a job defines. */
    public record Own(String name, AggregateCode code) implements Serializable {}

    /** How values are summarised. */
    public enum Kind {
        COUNT,
        SUM,
        AVG,
        MIN,
        MAX,
        /** The mean of the squared distances from the mean. */
        VAR_POP,
        /** The same divided by one less than the count. */
        VAR_SAMP,
        STDDEV_POP,
        STDDEV_SAMP,
        /** What a {@link PairSummary} makes of pairs of numbers; pairs of which one is null do not count. */
        OF_PAIRS,
        /** The value of the only row, null included; more than one row is an error. */
        ONLY,
        /** About how many different values there are. */
        APPROX_COUNT_DISTINCT,
        /** About which number lies at a fraction of all. */
        APPROX_PERCENTILE,
        /** The value at a fraction of the order, between two values where it falls between them. */
        PERCENTILE_CONT(true),
        /** The first value in order that is not below a fraction of all. */
        PERCENTILE_DISC(true),
        /** The value that occurs most often, the first in order among equals. */
        MODE(true),
        /** The values as text, one after the other, with a separator between them. */
        STRING_AGG(true),
        /** The values as a list. */
        LIST_AGG(true),
        /** The values as a list, nulls included. */
        ARRAY_AGG(true),
        /** The value of the first row in order, null included. */
        FIRST(true),
        /** As many values as asked for, most frequent first, as text with their counts. */
        TOP_VALUES(true),
        /** Whatever code of the job makes of them. */
        OWN;

        private final boolean collecting;

        Kind() {
            this(false);
        }

        Kind(boolean collecting) {
            this.collecting = collecting;
        }

        /** Whether all values of a group must be seen together, so that there is no summary of a part of them. */
        public boolean isCollecting() {
            return collecting;
        }

        /** Whether rows whose value is null count. */
        public boolean keepsNulls() {
            return this == ARRAY_AGG;
        }
    }

    /** How pairs {@code (y, x)} are summarised, all as doubles. */
    public enum PairSummary {
        COVAR_POP,
        COVAR_SAMP,
        CORR,
        REGR_SLOPE,
        REGR_INTERCEPT,
        REGR_R2
    }

    public Aggregate {
        arguments = List.copyOf(arguments);
        order = List.copyOf(order);
        parameters = List.copyOf(parameters);
    }

    /** An aggregate that is no code of the job. */
    public Aggregate(
            Kind kind,
            List<Expression> arguments,
            List<SortKey> order,
            List<Object> parameters,
            boolean distinct,
            DataType type) {
        this(kind, arguments, order, parameters, distinct, type, Optional.empty());
    }

    /** An aggregate of one value without order or parameters. */
    public Aggregate(Kind kind, Expression argument, DataType type) {
        this(kind, List.of(argument), List.of(), List.of(), false, type);
    }

    public static Aggregate countRows() {
        return new Aggregate(Kind.COUNT, List.of(), List.of(), List.of(), false, DataType.LONG);
    }

    /** The first argument; empty for {@code count(*)}. */
    public Optional<Expression> argument() {
        return arguments.isEmpty() ? Optional.empty() : Optional.of(arguments.get(0));
    }

    /** All expressions over the input, arguments first. */
    public List<Expression> expressions() {
        List<Expression> all = new ArrayList<>(arguments);
        order.forEach(key -> all.add(key.expression()));
        return all;
    }

    /** The same aggregate of other expressions. */
    public Aggregate map(UnaryOperator<Expression> change) {
        return new Aggregate(
                kind,
                arguments.stream().map(change).toList(),
                order.stream().map(k -> k.with(change.apply(k.expression()))).toList(),
                parameters,
                distinct,
                type,
                own);
    }

    /** The same aggregate of the rows for which a condition is true. */
    public Aggregate where(Expression condition) {
        Expression first = arguments.isEmpty() ? new Literal(1, DataType.INT) : arguments.get(0);
        Expression limited =
                Operators.choose(List.of(new Case.Branch(condition, first)), new Literal(null, first.type()));
        Aggregate whole = arguments.isEmpty() ? new Aggregate(kind, first, type) : this;
        return whole.map(e -> e.equals(first) ? limited : e);
    }

    /** The same aggregate without regard to {@code distinct}. */
    public Aggregate ofAll() {
        return new Aggregate(kind, arguments, order, parameters, false, type, own);
    }

    @Override
    public String toString() {
        List<String> inside =
                new ArrayList<>(arguments.stream().map(Object::toString).toList());
        parameters.forEach(p -> inside.add(Values.literal(p)));
        String by = order.stream().map(SortKey::toString).collect(Collectors.joining(", "));
        return own.map(Own::name).orElse(kind.name().toLowerCase(Locale.ROOT)) + "(" + (distinct ? "distinct " : "")
                + (arguments.isEmpty() ? "*" : String.join(", ", inside))
                + (by.isEmpty() ? "" : " order by " + by) + ")";
    }
}
