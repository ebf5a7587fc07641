package org.unimeros.engine.operator;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.SpillFile;
import org.unimeros.engine.spill.StepSpace;

/**
 * Merges partial summaries, and summarises rows that were not grouped before ({@link GroupForm}), in limited memory.
 * When the groups reach the limit they are written out, as partial summaries again, divided by the hash of their keys;
 * in the end each division is merged on its own, and divided further if it must be.
 */
final class GroupMerger {

    private static final int DIVISIONS = 16;
    private static final int DEEPEST = 6;

    private final Evaluator evaluator;
    private final List<DataType> keyTypes;
    private final List<Aggregate> aggregates;
    private final StepSpace space;
    private final int depth;
    private List<Accumulator> accumulators;
    private final GroupForm form;
    private KeyTable table;
    private int[] groups = new int[Batch.TARGET_ROWS];
    private RowDivider spilled;

    GroupMerger(Evaluator evaluator, List<DataType> keyTypes, List<Aggregate> aggregates, StepSpace space, int depth) {
        this.evaluator = evaluator;
        this.keyTypes = keyTypes;
        this.aggregates = aggregates;
        this.space = space;
        this.depth = depth;
        this.form = new GroupForm(keyTypes.size(), aggregates);
        start();
    }

    /** Begins without groups, and without the arrays that held many. */
    private void start() {
        table = new KeyTable(keyTypes);
        accumulators = new ArrayList<>();
        aggregates.forEach(a -> accumulators.add(Accumulator.of(a, evaluator)));
    }

    void add(Batch batch) {
        int rows = batch.rowCount();
        if (groups.length < rows) {
            groups = new int[rows];
        }
        if (keyTypes.isEmpty()) {
            Arrays.fill(groups, 0, rows, 0);
        } else {
            table.number(form.keys(batch), rows, groups);
        }
        boolean areRows = form.isOfRows(batch);
        for (int i = 0; i < accumulators.size(); i++) {
            Accumulator accumulator = accumulators.get(i);
            accumulator.reserve(Math.max(1, table.size()));
            if (areRows) {
                accumulator.add(groups, rows, form.argument(batch, i));
            } else {
                accumulator.merge(groups, rows, form.partial(batch, i));
            }
        }
        if (!keyTypes.isEmpty() && depth < DEEPEST && sizeInBytes() > space.limit() / 2) {
            spill();
        }
    }

    private long sizeInBytes() {
        return table.sizeInBytes() + Accumulator.sizeInBytes(accumulators);
    }

    private void spill() {
        if (spilled == null) {
            spilled = new RowDivider(DIVISIONS, depth + 1, space);
        }
        int size = table.size();
        List<Column> columns = new ArrayList<>(List.of(table.takeKeys()));
        for (Accumulator accumulator : accumulators) {
            columns.addAll(List.of(accumulator.partial(size)));
        }
        table.release();
        start();
        Column[] all = columns.toArray(Column[]::new);
        Batch batch = new Batch(size, all);
        spilled.add(batch, Arrays.copyOf(all, keyTypes.size()));
    }

    /** Hands out keys and results. Without keys there is one group, even of no rows. */
    void finish(Consumer<Batch> out) {
        if (spilled == null) {
            results(out);
            return;
        }
        if (table.size() > 0) {
            spill();
        }
        SpillFile file = spilled.file();
        for (List<Chunk> division : spilled.divisions()) {
            if (!division.isEmpty()) {
                GroupMerger merger = new GroupMerger(evaluator, keyTypes, aggregates, space, depth + 1);
                division.forEach(chunk -> merger.add(chunk.load()));
                merger.finish(out);
            }
        }
        space.done(file);
    }

    private void results(Consumer<Batch> out) {
        int size = keyTypes.isEmpty() ? 1 : table.size();
        if (size == 0) {
            return;
        }
        List<Column> columns = new ArrayList<>(List.of(table.takeKeys()));
        table.release();
        for (Accumulator accumulator : accumulators) {
            accumulator.reserve(size);
            columns.add(accumulator.result(size));
        }
        out.accept(new Batch(size, columns.toArray(Column[]::new)));
    }
}
