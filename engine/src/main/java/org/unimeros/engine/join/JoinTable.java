package org.unimeros.engine.join;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.key.JointWork;
import org.unimeros.engine.key.KeyLookUp;
import org.unimeros.engine.key.KeyTable;
import org.unimeros.engine.key.KeyTables;
import org.unimeros.engine.key.NearKeys;
import org.unimeros.engine.key.SettledKeysBuilder;
import org.unimeros.engine.spill.Chunk;

/**
 * The rows of one side of a join, found by key. The rows of key {@code k} are those from {@code starts[k]} to {@code
 * starts[k + 1]}, in the order in which they came, so that the pairs of a key are read one after the other; behind all stand
 * those with a null key, which match nothing. Where every key has one row, its number is that of the row. Not
 * changed once it is built; several tasks can probe it at a time.
 */
public final class JoinTable {

    /** Places of a key in its table, most of which are empty, positions of a row, and what is kept of it once more for gathering. */
    private static final long BYTES_PER_ROW = 72;

    /** After so many rows it is guessed how many keys there will be. */
    private static final int SAMPLE = 4 * Batch.TARGET_ROWS;

    private final Batch rows;
    private final KeyLookUp keys;
    private final boolean hasKeys;
    /** Where the rows of each key begin; null where every key has one row. */
    private final int[] starts;

    private JoinTable(Batch rows, KeyLookUp keys, boolean hasKeys, int[] starts) {
        this.rows = rows;
        this.keys = keys;
        this.hasKeys = hasKeys;
        this.starts = starts;
    }

    /** Builds the table of some batches. */
    public static JoinTable build(List<Chunk> batches, Schema schema, List<Expression> keyExpressions) {
        return build(batches, schema, keyExpressions, new Evaluator());
    }

    /** The same with keys that an evaluator computes. */
    public static JoinTable build(
            List<Chunk> batches, Schema schema, List<Expression> keyExpressions, Evaluator evaluator) {
        Batch rows = joined(batches, schema);
        return build(rows, keyExpressions, near(rows, keyExpressions), evaluator);
    }

    /**
     * The same for far more rows to be looked up than the table has, for which it pays to put large tables in the order of their keys.
     *
     * @param work to be led by this thread, in which those take part who wait for the table
     */
    public static JoinTable buildForMany(
            List<Chunk> batches, Schema schema, List<Expression> keyExpressions, Evaluator evaluator, JointWork work) {
        Batch rows = joined(batches, schema, work);
        NearKeys near = near(rows, keyExpressions);
        JoinTable settled = near == null ? settled(rows, keyExpressions, evaluator, work) : null;
        return settled == null ? build(rows, keyExpressions, near, evaluator) : settled;
    }

    private static Batch joined(List<Chunk> batches, Schema schema) {
        BatchBuilder builder = new BatchBuilder(schema);
        builder.expect(Math.toIntExact(batches.stream().mapToLong(Chunk::rows).sum()));
        batches.forEach(chunk -> builder.appendAll(chunk.load()));
        return builder.build();
    }

    private static Batch joined(List<Chunk> batches, Schema schema, JointWork work) {
        Batch[] loaded = new Batch[batches.size()];
        work.each(loaded.length, i -> loaded[i] = batches.get(i).load());
        return BatchBuilder.joined(schema.fields().stream().map(Field::type).toList(), List.of(loaded));
    }

    private static JoinTable build(Batch rows, List<Expression> keyExpressions, NearKeys near, Evaluator evaluator) {
        int n = rows.rowCount();
        KeyTable keys = KeyTables.forLookUp(
                keyExpressions.stream().map(Expression::type).toList(), near);
        boolean hasKeys = !keyExpressions.isEmpty();
        int[] keyOfRow = hasKeys ? number(rows, keyExpressions, keys, evaluator) : new int[n];
        if (keyOfRow == null) {
            return new JoinTable(rows.forGathering(), keys, true, null);
        }
        int keyCount = hasKeys ? keys.size() : 1;
        // Rows with a null key are counted behind all others.
        int[] starts = new int[keyCount + 2];
        for (int i = 0; i < n; i++) {
            keyOfRow[i] = keyOfRow[i] < 0 ? keyCount : keyOfRow[i];
            starts[keyOfRow[i] + 1]++;
        }
        for (int k = 0; k <= keyCount; k++) {
            starts[k + 1] += starts[k];
        }
        Batch byKey = isInOrder(keyOfRow) ? rows : byKey(rows, keyOfRow, starts);
        return new JoinTable(byKey.forGathering(), keys, hasKeys, starts);
    }

    /** A table whose keys are {@linkplain SettledKeysBuilder settled}; null where they are no whole numbers, or few. */
    private static JoinTable settled(Batch rows, List<Expression> keyExpressions, Evaluator evaluator, JointWork work) {
        if (keyExpressions.size() != 1 || rows.rowCount() < SettledKeysBuilder.LEAST_KEYS) {
            return null;
        }
        DataType type = keyExpressions.get(0).type();
        boolean isLong = type.physical() == DataType.Physical.LONGS;
        if (!isLong && type.physical() != DataType.Physical.INTS) {
            return null;
        }
        Column column = wholeColumn(rows, keyExpressions, evaluator);
        long[] keys = isLong
                ? ((LongColumn) column).values()
                : Arrays.stream(((IntColumn) column).values()).asLongStream().toArray();
        SettledKeysBuilder.Settled settled = SettledKeysBuilder.of(keys, column.nulls(), rows.rowCount(), work);
        if (settled == null) {
            return null;
        }
        int[] order = withOthers(settled.order(), column, rows.rowCount());
        return new JoinTable(inOrder(rows, order, work), KeyTables.of(settled.keys()), true, settled.starts());
    }

    /** The values of a key of all rows. */
    private static Column wholeColumn(Batch rows, List<Expression> key, Evaluator evaluator) {
        if (key.get(0) instanceof Expression.ColumnRef ref) {
            return rows.column(ref.index());
        }
        ColumnBuilder values = ColumnBuilder.of(key.get(0).type());
        for (int from = 0; from < rows.rowCount(); from += Batch.TARGET_ROWS) {
            int size = Math.min(Batch.TARGET_ROWS, rows.rowCount() - from);
            values.appendAll(evaluator.evaluate(key.get(0), rows.slice(from, size)), size);
        }
        return values.build();
    }

    /** Some rows, and those with a null key behind them. */
    private static int[] withOthers(int[] order, Column key, int rows) {
        if (order.length == rows) {
            return order;
        }
        int[] all = Arrays.copyOf(order, rows);
        int n = order.length;
        for (int row = 0; row < rows; row++) {
            if (key.isNull(row)) {
                all[n++] = row;
            }
        }
        return all;
    }

    /** A table of keys that are close to one another; null where they are not, or are no column that is there. */
    private static NearKeys near(Batch rows, List<Expression> keys) {
        boolean isColumn = keys.size() == 1 && keys.get(0) instanceof Expression.ColumnRef;
        return isColumn
                ? NearKeys.of(rows.column(((Expression.ColumnRef) keys.get(0)).index()), rows.rowCount())
                : null;
    }

    private static boolean isInOrder(int[] keyOfRow) {
        boolean inOrder = true;
        for (int i = 1; i < keyOfRow.length && inOrder; i++) {
            inOrder = keyOfRow[i - 1] <= keyOfRow[i];
        }
        return inOrder;
    }

    private static Batch byKey(Batch rows, int[] keyOfRow, int[] starts) {
        int[] next = starts.clone();
        int[] order = new int[rows.rowCount()];
        for (int i = 0; i < order.length; i++) {
            order[next[keyOfRow[i]]++] = i;
        }
        return rows.forGathering().select(order, order.length).dense();
    }

    /** The rows in another order, column by column, ready for gathering. */
    private static Batch inOrder(Batch rows, int[] order, JointWork work) {
        int n = order.length;
        Column[] columns = new Column[rows.columnCount()];
        work.each(
                columns.length,
                c -> columns[c] =
                        rows.column(c).forGathering(n).gather(order, n).forGathering(n));
        return new Batch(n, columns);
    }

    /** About the memory that a table of these rows takes while it is built. */
    public static long bytesFor(List<Chunk> chunks) {
        long bytes = 0;
        for (Chunk chunk : chunks) {
            bytes += 2 * chunk.bytes() + BYTES_PER_ROW * chunk.rows();
        }
        return bytes;
    }

    /** Finds the key of each row, -1 for null; null where there are rows and each has one of its own, so that both are counted alike. */
    private static int[] number(Batch rows, List<Expression> expressions, KeyTable keys, Evaluator evaluator) {
        int n = rows.rowCount();
        int[] keyOfRow = n == 0 ? new int[0] : null;
        int[] numbers = new int[Batch.TARGET_ROWS];
        for (int from = 0; from < n; from += Batch.TARGET_ROWS) {
            int size = Math.min(Batch.TARGET_ROWS, n - from);
            if (from == SAMPLE && keys.size() > SAMPLE / 2) {
                keys.expect((int) ((long) (n - from) * keys.size() / SAMPLE));
            }
            Column[] columns = evaluator.evaluateAll(expressions, rows.slice(from, size));
            keys.number(columns, size, numbers);
            long[] nulls = Column.nullsInAny(columns, size);
            for (int i = 0; nulls != null && i < size; i++) {
                numbers[i] = Bits.get(nulls, i) ? -1 : numbers[i];
            }
            if (keyOfRow == null && !areCounted(numbers, size, from)) {
                keyOfRow = new int[n];
                Arrays.setAll(keyOfRow, row -> row);
            }
            if (keyOfRow != null) {
                System.arraycopy(numbers, 0, keyOfRow, from, size);
            }
        }
        return keyOfRow;
    }

    private static boolean areCounted(int[] numbers, int n, int first) {
        int differences = 0;
        for (int i = 0; i < n; i++) {
            differences |= numbers[i] ^ first + i;
        }
        return differences == 0;
    }

    public Batch rows() {
        return rows;
    }

    /** Ends the use of the keys, by whomever: the memory for them may be that of the next table. */
    void releaseKeys() {
        keys.release();
    }

    /** Finds rows by key; each prober is used by one thread. */
    public Prober prober() {
        return new Prober();
    }

    public final class Prober {
        private final KeyLookUp reader = keys.reader();

        /** Writes the number of the key of each probing row, or -1 where it has no match. */
        public void find(Column[] columns, int n, int[] out) {
            if (!hasKeys) {
                Arrays.fill(out, 0, n, 0);
                return;
            }
            // A null key finds at most a null key, which has no rows.
            reader.find(columns, n, out);
        }
    }

    /** Whether every key has one row, whose number is that of the key. */
    public boolean isUnique() {
        return starts == null;
    }

    public int start(int key) {
        return starts == null ? key : starts[key];
    }

    public int end(int key) {
        return starts == null ? key + 1 : starts[key + 1];
    }
}
