package org.unimeros.engine.group;

import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.key.RowDivider;
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
    private final GroupForm form;
    private final Groups groups;
    private RowDivider spilled;

    GroupMerger(Evaluator evaluator, List<DataType> keyTypes, List<Aggregate> aggregates, StepSpace space, int depth) {
        this.evaluator = evaluator;
        this.keyTypes = keyTypes;
        this.aggregates = aggregates;
        this.space = space;
        this.depth = depth;
        this.form = new GroupForm(keyTypes.size(), aggregates);
        this.groups = new Groups(evaluator, keyTypes, aggregates);
    }

    void add(Batch batch) {
        groups.number(form.keys(batch), batch.rowCount());
        groups.add(form, batch);
        if (!keyTypes.isEmpty() && depth < DEEPEST && groups.sizeInBytes() > space.limit() / 2) {
            spill();
        }
    }

    private void spill() {
        if (spilled == null) {
            spilled = new RowDivider(DIVISIONS, depth + 1, space);
        }
        int size = groups.size();
        Column[] keys = groups.takeKeys();
        Batch batch = Groups.batch(size, keys, groups.takePartial(size));
        groups.restart();
        spilled.add(batch, keys);
    }

    /** Hands out keys and results. Without keys there is one group, even of no rows. */
    void finish(Consumer<Batch> out) {
        if (spilled == null) {
            results(out);
            return;
        }
        if (groups.size() > 0) {
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
        int size = keyTypes.isEmpty() ? 1 : groups.size();
        if (size == 0) {
            return;
        }
        Column[] keys = groups.takeKeys();
        groups.release();
        out.accept(Groups.batch(size, keys, groups.results(size)));
    }
}
