package org.unimeros.engine.operator;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.spill.Chunk;

/**
 * The rows of one side of a join, found by key. The rows of key {@code k} are {@code rowsByKey[starts[k] .. starts[k +
 * 1])}, in the order in which they came. Not changed once it is built; several tasks can probe it at a time.
 */
public final class JoinTable {

    /** Slot, hash and positions of a row, beside its values and its key. */
    private static final long BYTES_PER_ROW = 48;

    private final Batch rows;
    private final KeyTable keys;
    private final boolean hasKeys;
    private final int[] starts;
    private final int[] rowsByKey;

    private JoinTable(Batch rows, KeyTable keys, boolean hasKeys, int[] starts, int[] rowsByKey) {
        this.rows = rows;
        this.keys = keys;
        this.hasKeys = hasKeys;
        this.starts = starts;
        this.rowsByKey = rowsByKey;
    }

    /** Builds the table of some batches; rows with a null key are left out, since they match nothing. */
    public static JoinTable build(List<Chunk> batches, Schema schema, List<Expression> keyExpressions) {
        BatchBuilder builder = new BatchBuilder(schema);
        batches.forEach(chunk -> builder.appendAll(chunk.load()));
        Batch rows = builder.build();
        int n = rows.rowCount();
        KeyTable keys =
                new KeyTable(keyExpressions.stream().map(Expression::type).toList());
        int[] keyOfRow = new int[n];
        if (!keyExpressions.isEmpty() && n > 0) {
            number(rows, keyExpressions, keys, keyOfRow);
        }
        int keyCount = keyExpressions.isEmpty() ? 1 : keys.size();
        int[] starts = new int[keyCount + 1];
        for (int i = 0; i < n; i++) {
            if (keyOfRow[i] >= 0) {
                starts[keyOfRow[i] + 1]++;
            }
        }
        for (int k = 0; k < keyCount; k++) {
            starts[k + 1] += starts[k];
        }
        int[] rowsByKey = new int[starts[keyCount]];
        int[] at = starts.clone();
        for (int i = 0; i < n; i++) {
            if (keyOfRow[i] >= 0) {
                rowsByKey[at[keyOfRow[i]]++] = i;
            }
        }
        return new JoinTable(rows, keys, !keyExpressions.isEmpty(), starts, rowsByKey);
    }

    /** About the memory that a table of these rows takes while it is built. */
    public static long bytesFor(List<Chunk> chunks) {
        long bytes = 0;
        for (Chunk chunk : chunks) {
            bytes += 2 * chunk.bytes() + BYTES_PER_ROW * chunk.rows();
        }
        return bytes;
    }

    private static void number(Batch rows, List<Expression> expressions, KeyTable keys, int[] keyOfRow) {
        Evaluator evaluator = new Evaluator();
        int n = rows.rowCount();
        int[] numbers = new int[Batch.TARGET_ROWS];
        for (int from = 0; from < n; from += Batch.TARGET_ROWS) {
            int size = Math.min(Batch.TARGET_ROWS, n - from);
            Column[] columns = evaluate(evaluator, expressions, rows.slice(from, size));
            keys.number(columns, size, numbers);
            long[] nulls = nulls(columns, size);
            for (int i = 0; i < size; i++) {
                keyOfRow[from + i] = nulls != null && Bits.get(nulls, i) ? -1 : numbers[i];
            }
        }
    }

    static Column[] evaluate(Evaluator evaluator, List<Expression> expressions, Batch batch) {
        return expressions.stream().map(e -> evaluator.evaluate(e, batch)).toArray(Column[]::new);
    }

    static long[] nulls(Column[] columns, int rows) {
        long[] nulls = null;
        for (Column column : columns) {
            nulls = Bits.or(nulls, column.nulls(), rows);
        }
        return nulls;
    }

    Batch rows() {
        return rows;
    }

    /** Finds rows by key; each prober is used by one thread. */
    Prober prober() {
        return new Prober();
    }

    final class Prober {
        private final KeyTable reader = keys.reader();

        /** Writes the number of the key of each probing row, or -1 where it has no match. */
        void find(Column[] columns, int n, int[] out) {
            if (!hasKeys) {
                Arrays.fill(out, 0, n, 0);
                return;
            }
            // A null key finds at most a null key, and rows with such keys were left out when the table was built.
            reader.find(columns, n, out);
        }
    }

    int start(int key) {
        return starts[key];
    }

    int end(int key) {
        return starts[key + 1];
    }

    int row(int position) {
        return rowsByKey[position];
    }
}
