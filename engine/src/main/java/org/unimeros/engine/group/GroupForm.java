package org.unimeros.engine.group;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;

/**
 * The batches that go from a partial grouping to the final one. Keys come first, then the partial columns of each aggregate; or, of rows that
 * were not grouped because nearly each has a key of its own, the arguments of the aggregates, which are fewer and narrower. The number of
 * columns tells one from the other.
 */
public final class GroupForm {

    private final int keys;
    private final List<Aggregate> aggregates;
    /** Where the partial columns of each aggregate begin, and the end of the last. */
    private final int[] partials;
    /** Where the argument of each aggregate is; -1 where it has none. */
    private final int[] arguments;

    private final List<Expression> sent = new ArrayList<>();

    public GroupForm(int keys, List<Aggregate> aggregates) {
        this.keys = keys;
        this.aggregates = aggregates;
        this.partials = new int[aggregates.size() + 1];
        this.arguments = new int[aggregates.size()];
        partials[0] = keys;
        for (int a = 0; a < arguments.length; a++) {
            partials[a + 1] =
                    partials[a] + Accumulator.partialTypes(aggregates.get(a)).size();
            arguments[a] = aggregates.get(a).argument().map(this::send).orElse(-1);
        }
    }

    /** A column that several aggregates summarise goes once. Other expressions have code, which is not the same everywhere. */
    private int send(Expression argument) {
        int known = argument instanceof ColumnRef ? sent.indexOf(argument) : -1;
        if (known < 0) {
            sent.add(argument);
            return keys + sent.size() - 1;
        }
        return keys + known;
    }

    /** Rows that were not grouped. */
    public Batch ofRows(Column[] keyColumns, Batch batch, Evaluator evaluator) {
        int rows = batch.rowCount();
        int width = keys + sent.size();
        // Keys alone mean the same either way.
        boolean looksGrouped = width == partials[aggregates.size()] && !aggregates.isEmpty();
        Column[] columns = Arrays.copyOf(keyColumns, looksGrouped ? width + 1 : width);
        for (int i = 0; i < sent.size(); i++) {
            columns[keys + i] = evaluator.evaluate(sent.get(i), batch);
        }
        if (looksGrouped) {
            columns[width] = new BooleanColumn(Bits.make(rows), null);
        }
        return new Batch(rows, columns);
    }

    public boolean isOfRows(Batch batch) {
        return batch.columnCount() != partials[aggregates.size()];
    }

    Column[] keys(Batch batch) {
        return columns(batch, 0, keys);
    }

    /** The argument of an aggregate in rows that were not grouped; null where it has none. */
    public Column argument(Batch batch, int aggregate) {
        return arguments[aggregate] < 0 ? null : batch.column(arguments[aggregate]);
    }

    Column[] partial(Batch batch, int aggregate) {
        return columns(batch, partials[aggregate], partials[aggregate + 1]);
    }

    /** All columns but the keys, of either kind of batch. */
    Column[] others(Batch batch) {
        return columns(batch, keys, batch.columnCount());
    }

    private static Column[] columns(Batch batch, int from, int end) {
        Column[] columns = new Column[end - from];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = batch.column(from + i);
        }
        return columns;
    }
}
