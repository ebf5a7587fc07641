package org.unimeros.engine.join;

import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.operator.TaskStopped;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.stage.Step;

/** The rows that a join makes from one {@link JoinTable} and the batches that come by. */
final class JoinPass {

    /** From so many matches of one row on, they make batches of their own. */
    private static final int LONG_RUN = Batch.TARGET_ROWS / 8;
    /** More would not stay in the cache. */
    private static final long MOST_PIECE_BYTES = 4L << 20;

    private final Evaluator evaluator;
    private final Step.Probe step;
    private final JoinTable table;
    private final PairWatch watch;
    private final JoinTable.Prober prober;
    private final Operator next;
    private final boolean notesProbe;
    private final long[] matchedBuild;
    private final int[] probeRows = new int[Batch.TARGET_ROWS];
    private final int[] buildRows = new int[Batch.TARGET_ROWS];
    private int pairs;
    private int[] keys = new int[Batch.TARGET_ROWS];
    /** Rows of long runs by where they begin. */
    private final Map<Integer, Batch> pieces = new HashMap<>();

    private long pieceBytes;
    /** For the columns of pairs, where the next operator forgets them. */
    private final SpareArrays spare = new SpareArrays();

    JoinPass(Evaluator evaluator, Step.Probe step, JoinTable table, PairWatch watch, Operator next) {
        this.evaluator = evaluator;
        this.step = step;
        this.table = table;
        this.watch = watch;
        this.prober = table.prober();
        this.next = next;
        this.notesProbe = step.kind() != JoinKind.INNER;
        this.matchedBuild = step.keepsBuild() ? Bits.make(table.rows().rowCount()) : null;
    }

    /** Finds the pairs of a batch, passes them on where the join makes pairs, and notes which rows have one. */
    void pairs(Batch batch, boolean[] matched) {
        int rows = batch.rowCount();
        if (keys.length < rows) {
            keys = new int[rows];
        }
        Column[] columns = evaluator.evaluateAll(step.probeKeys(), batch);
        prober.find(columns, rows, keys);
        boolean onlyWhether = !step.kind().hasRight() && step.condition().isEmpty();
        if (onlyWhether) {
            noteWhether(rows, matched);
            return;
        }
        if (table.isUnique()) {
            uniquePairs(batch, rows, matched);
            return;
        }
        count(columns, rows);
        for (int row = 0; row < rows; row++) {
            if (keys[row] >= 0) {
                pair(batch, row, keys[row], matched);
            }
        }
        flush(batch, matched);
    }

    private void noteWhether(int rows, boolean[] matched) {
        for (int row = 0; row < rows; row++) {
            int key = Math.max(0, keys[row]);
            // Without a branch, since nothing tells which rows they will be.
            matched[row] |= keys[row] >= 0 & table.start(key) < table.end(key);
        }
    }

    /** At most one pair for each row. */
    private void uniquePairs(Batch batch, int rows, boolean[] matched) {
        if (!notesProbe && matchedBuild == null && step.condition().isEmpty() && allHave(keys, rows)) {
            next.accept(sideBySide(batch, table.rows().select(keys, rows)));
            return;
        }
        int row = 0;
        while (row < rows) {
            int end = Math.min(rows, row + probeRows.length - pairs);
            pairs = withKey(row, end, pairs);
            row = end;
            if (pairs == probeRows.length) {
                flush(batch, matched);
            }
        }
        flush(batch, matched);
    }

    /** Puts those of some rows that have a key behind the pairs there are. Without a branch, since nothing tells which rows they will be. */
    private int withKey(int from, int end, int before) {
        int n = before;
        for (int row = from; row < end; row++) {
            probeRows[n] = row;
            buildRows[n] = keys[row];
            n += 1 + (keys[row] >> 31);
        }
        return n;
    }

    /** Whether there are rows, each with a key. */
    private static boolean allHave(int[] keys, int rows) {
        int least = 0;
        for (int row = 0; row < rows; row++) {
            least = Math.min(least, keys[row]);
        }
        return rows > 0 && least == 0;
    }

    /** Tells how many pairs are to come before they are made. */
    private void count(Column[] columns, int rows) {
        long more = 0;
        int most = 0;
        int mostRow = 0;
        for (int row = 0; row < rows; row++) {
            if (keys[row] >= 0) {
                int found = table.end(keys[row]) - table.start(keys[row]);
                more += Math.max(0, found - 1);
                if (found > most) {
                    most = found;
                    mostRow = row;
                }
            }
        }
        if (more > 0) {
            int row = mostRow;
            watch.add(more, () -> text(columns, row), most);
        }
    }

    private String text(Column[] columns, int row) {
        if (columns.length == 0) {
            return "every row";
        }
        StringBuilder text = new StringBuilder();
        for (int c = 0; c < columns.length; c++) {
            Object value = Values.get(columns[c], row, step.probeKeys().get(c).type());
            text.append(c == 0 ? "" : ", ").append(Values.literal(value));
        }
        return text.toString();
    }

    private void pair(Batch batch, int row, int key, boolean[] matched) {
        int at = table.start(key);
        int end = table.end(key);
        if (end - at >= LONG_RUN) {
            flush(batch, matched);
            run(batch, row, at, end, matched);
            return;
        }
        while (at < end) {
            int n = Math.min(end - at, probeRows.length - pairs);
            Arrays.fill(probeRows, pairs, pairs + n, row);
            for (int i = 0; i < n; i++) {
                buildRows[pairs++] = at++;
            }
            if (pairs == probeRows.length) {
                flush(batch, matched);
            }
        }
    }

    /** The pairs of one row with many rows of the table, which stand one after the other: nothing is picked row by row. */
    private void run(Batch batch, int row, int from, int end, boolean[] matched) {
        for (int at = from; at < end; at += probeRows.length) {
            int n = Math.min(end - at, probeRows.length);
            Batch joined = sideBySide(batch.repeat(row, n), piece(at, n));
            if (step.condition().isPresent() || matchedBuild != null) {
                Arrays.fill(probeRows, 0, n, row);
                for (int i = 0; i < n; i++) {
                    buildRows[i] = at + i;
                }
                pairs = n;
                pass(joined, matched);
            } else {
                matched[row] = true;
                next.accept(joined);
            }
        }
    }

    /** Rows of a long run. They are kept, since every other row with the same key needs them as well. */
    private Batch piece(int from, int n) {
        Batch known = pieces.get(from);
        if (known == null) {
            known = table.rows().slice(from, n).dense();
            long bytes = known.sizeInBytes();
            if (pieceBytes + bytes > MOST_PIECE_BYTES) {
                pieces.clear();
                pieceBytes = 0;
            }
            pieceBytes += bytes;
            pieces.put(from, known);
        }
        return known;
    }

    private void flush(Batch batch, boolean[] matched) {
        if (pairs == 0) {
            return;
        }
        pass(sideBySide(batch.select(probeRows, pairs), table.rows().select(buildRows, pairs)), matched);
    }

    private void pass(Batch joined, boolean[] matched) {
        Batch left = step.condition().isPresent() ? fulfilling(joined) : joined;
        for (int i = 0; notesProbe && i < pairs; i++) {
            matched[probeRows[i]] = true;
        }
        for (int i = 0; matchedBuild != null && i < pairs; i++) {
            Bits.set(matchedBuild, buildRows[i]);
        }
        pairs = 0;
        if (left.rowCount() > 0 && step.kind().hasRight()) {
            next.accept(left);
        }
    }

    /** Leaves out the pairs for which the condition is not true. */
    private Batch fulfilling(Batch joined) {
        if (evaluator.isStopped()) {
            // Of many pairs, few or none may be passed on.
            throw new TaskStopped();
        }
        BooleanColumn truth =
                (BooleanColumn) evaluator.evaluateForNow(step.condition().orElseThrow(), joined);
        int[] hits = new int[pairs];
        int n = 0;
        for (int i = 0; i < pairs; i++) {
            if (!truth.isNull(i) && truth.value(i)) {
                probeRows[n] = probeRows[i];
                buildRows[n] = buildRows[i];
                hits[n++] = i;
            }
        }
        Batch left = n == pairs ? joined : forNext(joined.select(hits, n));
        pairs = n;
        return left;
    }

    private Batch sideBySide(Batch probe, Batch build) {
        return forNext(step.buildIsLeft() ? Batch.beside(build, probe) : Batch.beside(probe, build));
    }

    /** Of the pairs before them, nothing is needed any more. */
    private Batch forNext(Batch joined) {
        if (next.forgetsBatch()) {
            joined.gatherInto(spare);
        }
        return joined;
    }

    /** Passes on what the join makes of whole rows of a batch, when all their pairs have been found. */
    void ends(Batch batch, boolean[] matched) {
        int rows = batch.rowCount();
        if (step.kind() == JoinKind.MARK) {
            next.accept(marked(batch, matched));
            return;
        }
        boolean wanted = step.kind() == JoinKind.SEMI;
        if (!wanted && step.kind() != JoinKind.ANTI && !step.keepsProbe()) {
            return;
        }
        int[] chosen = new int[rows];
        int n = 0;
        for (int i = 0; i < rows; i++) {
            chosen[n] = i;
            n += matched[i] == wanted ? 1 : 0;
        }
        if (n > 0) {
            Batch alone = batch.select(chosen, n);
            next.accept(step.keepsProbe() ? sideBySide(alone, nulls(step.buildSchema(), n)) : alone);
        }
    }

    private static Batch marked(Batch batch, boolean[] matched) {
        int rows = batch.rowCount();
        long[] bits = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (matched[i]) {
                Bits.set(bits, i);
            }
        }
        Column[] columns = new Column[batch.columnCount() + 1];
        for (int i = 0; i < batch.columnCount(); i++) {
            columns[i] = batch.column(i);
        }
        columns[batch.columnCount()] = new BooleanColumn(bits, null);
        return new Batch(rows, columns);
    }

    /** Passes on the rows of the table that have no match, where the join keeps them; after the last batch. */
    void buildEnds() {
        if (matchedBuild == null) {
            return;
        }
        int rows = table.rows().rowCount();
        int[] alone = new int[Batch.TARGET_ROWS];
        int n = 0;
        for (int i = 0; i < rows; i++) {
            if (!Bits.get(matchedBuild, i)) {
                alone[n++] = i;
            }
            if (n > 0 && (n == alone.length || i == rows - 1)) {
                passBuild(alone, n);
                n = 0;
            }
        }
        if (n > 0) {
            passBuild(alone, n);
        }
    }

    private void passBuild(int[] rows, int n) {
        next.accept(sideBySide(nulls(step.probeSchema(), n), table.rows().select(rows, n)));
    }

    private static Batch nulls(Schema schema, int n) {
        long[] all = Bits.make(n);
        Arrays.fill(all, -1L);
        Column[] columns = schema.fields().stream()
                .map(Field::type)
                .map(type -> {
                    ColumnBuilder one = ColumnBuilder.of(type);
                    one.appendNull();
                    return one.build().gather(new int[n], n).withNulls(all);
                })
                .toArray(Column[]::new);
        return new Batch(n, columns);
    }
}
