package org.unimeros.engine.aggregate;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.key.RowsByGroup;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/**
 * The state of one aggregate for all groups of a table, in arrays by group number.
 *
 * <p>States of several tasks are merged through partial columns, which travel with the keys. The result does not depend
 * on how rows were divided: whole numbers and decimals are summed exactly in 128 bits, doubles as pairs of doubles
 * (see {@link SumOfDoubles}), and partial states are merged in the order of the tasks.
 */
public abstract class Accumulator {

    /** The types of the partial columns of an aggregate. */
    public static List<DataType> partialTypes(Aggregate aggregate) {
        DataType type = argumentType(aggregate);
        return switch (aggregate.kind()) {
            case COUNT -> List.of(DataType.LONG);
            case SUM -> Sum.partialTypes(type);
            case AVG -> Mean.partialTypes(type);
            case MIN, MAX -> List.of(type);
            case VAR_POP, VAR_SAMP, STDDEV_POP, STDDEV_SAMP -> Variance.PARTIAL_TYPES;
            case OF_PAIRS -> Covariance.PARTIAL_TYPES;
            case ONLY -> List.of(type, DataType.LONG);
            case APPROX_COUNT_DISTINCT, APPROX_PERCENTILE -> List.of(DataType.TEXT);
            case OWN -> List.of(aggregate.own().orElseThrow().code().stateType());
            default -> throw new IllegalArgumentException("no partial summary of " + aggregate);
        };
    }

    private static DataType argumentType(Aggregate aggregate) {
        return aggregate.argument().map(Expression::type).orElse(DataType.LONG);
    }

    /**
     * A new accumulator without groups.
     *
     * @param evaluator opens code of the job
     */
    public static Accumulator of(Aggregate aggregate, Evaluator evaluator) {
        DataType type = argumentType(aggregate);
        return switch (aggregate.kind()) {
            case COUNT -> new Count();
            case SUM -> Sum.of(aggregate, type);
            case AVG -> new Mean(Sum.of(aggregate, type), type);
            case MIN -> Extreme.of(type, false);
            case MAX -> Extreme.of(type, true);
            case VAR_POP, VAR_SAMP, STDDEV_POP, STDDEV_SAMP -> new Variance(aggregate.kind());
            case OF_PAIRS ->
                new Covariance((Aggregate.PairSummary) aggregate.parameters().get(0));
            case ONLY -> new SingleValue(Extreme.of(type, false));
            case APPROX_COUNT_DISTINCT -> new Sketched.Distinct();
            case APPROX_PERCENTILE ->
                new Sketched.Quantile((Double) aggregate.parameters().get(0));
            case OWN -> new OwnAccumulator(evaluator.states(aggregate.own().orElseThrow(), type));
            default -> throw new IllegalArgumentException("no accumulator for " + aggregate);
        };
    }

    /** Makes room for groups up to a number; new ones are empty. */
    public abstract void reserve(int groups);

    /** Adds the argument's value of each row to the row's group; {@code argument} is null for count(*). */
    public abstract void add(int[] groups, int rows, Column argument);

    /** As {@link #add(int[], int, Column)}, where rows are sorted by group already, which some can make use of. */
    public void add(int[] groups, int rows, Column argument, RowsByGroup sorted) {
        add(groups, rows, argument);
    }

    /** Adds partial states, one per row, to the rows' groups. */
    public abstract void merge(int[] groups, int rows, Column[] partial);

    /** The partial columns of the first {@code groups} groups. */
    public abstract Column[] partial(int groups);

    /** The results of the first {@code groups} groups. */
    public abstract Column result(int groups);

    /** Bytes held for all groups. */
    abstract long sizeInBytes();

    /** Bytes held by several; asked for after every batch. */
    public static long sizeInBytes(List<Accumulator> accumulators) {
        long bytes = 0;
        for (Accumulator accumulator : accumulators) {
            bytes += accumulator.sizeInBytes();
        }
        return bytes;
    }

    /** Forgets all groups. */
    public abstract void clear();

    /** The columns of a partial grouping: keys, then what the aggregates know so far. */
    public static Schema partialSchema(List<Named> keys, List<NamedAggregate> aggregates) {
        List<Field> fields = new ArrayList<>(keys.stream().map(Named::field).toList());
        for (NamedAggregate aggregate : aggregates) {
            for (DataType type : partialTypes(aggregate.aggregate())) {
                fields.add(Field.of("partial " + fields.size(), type));
            }
        }
        return new Schema(fields);
    }
}
