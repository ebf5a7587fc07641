package org.unimeros.engine.operator;

import java.util.Arrays;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.stage.Step;

/** Makes a row for each element of a list, in batches of the usual size however long the lists are. */
public final class Unnest extends Operator.Inner {

    private final Evaluator evaluator;
    private final Step.Unnest step;
    private final int[] rows = new int[Batch.TARGET_ROWS];
    private final int[] places = new int[Batch.TARGET_ROWS];
    private final long[] positions = new long[Batch.TARGET_ROWS];
    private int size;

    public Unnest(Evaluator evaluator, Step.Unnest step, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
    }

    @Override
    public void accept(Batch batch) {
        ListColumn lists = (ListColumn) evaluator.evaluate(step.list(), batch);
        for (int row = 0; row < batch.rowCount() && next.wantsMore(); row++) {
            int start = lists.isNull(row) ? 0 : lists.start(row);
            int end = lists.isNull(row) ? 0 : lists.end(row);
            if (start == end && step.keepsEmpty()) {
                add(row, -1, 0, batch, lists);
            }
            for (int place = start; place < end; place++) {
                add(row, place, place - start + 1, batch, lists);
            }
        }
        flush(batch, lists);
    }

    private void add(int row, int place, long position, Batch batch, ListColumn lists) {
        rows[size] = row;
        places[size] = place;
        positions[size++] = position;
        if (size == rows.length) {
            flush(batch, lists);
        }
    }

    private void flush(Batch batch, ListColumn lists) {
        if (size == 0) {
            return;
        }
        int inputs = batch.columnCount();
        Column[] columns = new Column[inputs + step.columns() + (step.position() ? 1 : 0)];
        Batch repeated = batch.select(rows, size);
        for (int c = 0; c < inputs; c++) {
            columns[c] = repeated.column(c);
        }
        long[] missing = missing();
        Column elements = gathered(lists);
        if (elements instanceof StructColumn struct) {
            for (int i = 0; i < step.columns(); i++) {
                Column field = struct.fieldOrNull(i, size);
                columns[inputs + i] = field.withNulls(Bits.or(missing, field.nulls(), size));
            }
        } else {
            columns[inputs] = elements.withNulls(Bits.or(missing, elements.nulls(), size));
        }
        if (step.position()) {
            columns[columns.length - 1] = new LongColumn(Arrays.copyOf(positions, size), missing);
        }
        Batch out = new Batch(size, columns);
        size = 0;
        next.accept(out);
    }

    /** Rows that were kept without an element; null when there are none. */
    private long[] missing() {
        long[] missing = Bits.make(size);
        for (int i = 0; i < size; i++) {
            if (places[i] < 0) {
                Bits.set(missing, i);
            }
        }
        return Bits.any(missing, size) ? missing : null;
    }

    /** The elements in their places; some other one, or a default, where there is none. */
    private Column gathered(ListColumn lists) {
        if (lists.elementCount() == 0) {
            return empty(lists.elements());
        }
        int[] existing = new int[size];
        for (int i = 0; i < size; i++) {
            existing[i] = Math.max(0, places[i]);
        }
        return lists.elements().gather(existing, size);
    }

    private Column empty(Column like) {
        ColumnBuilder builder = ColumnBuilder.like(like);
        for (int i = 0; i < size; i++) {
            builder.appendNull();
        }
        return builder.build();
    }
}
