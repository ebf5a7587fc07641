package org.unimeros.engine.own.step;

import java.util.Arrays;
import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.key.KeyTable;
import org.unimeros.engine.key.KeyTables;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.NumberedGroups;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Gives code of the job rows of equal keys together, so that fewer are moved. Rows are gathered until there are some thousand, put
 * together by the numbers of their keys, which is far cheaper than to sort them, and combined; what was made is combined again
 * when it has become much. When that hardly makes rows fewer, those that follow are passed on as they are.
 */
public final class CombineRows extends Operator.Inner {

    /** Beyond this share of rows that are left it does not pay. */
    private static final double WORTHWHILE = 0.8;

    private static final int MOST_FRESH = 1 << 18;

    private final Evaluator evaluator;
    private final Step.Combine step;
    private final GroupCode.Running code;
    private final StepSpace space;
    private final KeyTable table;
    private final BatchBuilder fresh;
    private final BatchBuilder combined;
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private int[] some = new int[Batch.TARGET_ROWS];
    private int freshRows;
    private int combinations;
    private boolean passesOn;
    private long rowsIn;
    private long rowsOut;

    public CombineRows(Evaluator evaluator, Step.Combine step, GroupCode.Running code, StepSpace space, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
        this.code = code;
        this.space = space;
        List<DataType> types = step.schema().fields().stream().map(Field::type).toList();
        this.table = KeyTables.of(
                step.keys().stream().map(k -> k.expression().type()).toList());
        this.fresh = new BatchBuilder(types);
        this.combined = new BatchBuilder(types);
        this.freshRows = code.rowsAtOnce();
    }

    @Override
    public void accept(Batch batch) {
        if (passesOn) {
            push(batch);
            return;
        }
        rowsIn += batch.rowCount();
        number(batch, fresh.rowCount());
        fresh.appendAll(batch);
        if (fresh.rowCount() >= freshRows || fresh.sizeInBytes() > space.limit() / 6) {
            combineFresh();
        }
    }

    /** Writes the numbers of the keys of some rows behind those that are there. */
    private void number(Batch batch, int behind) {
        int rows = batch.rowCount();
        Column[] keys = step.keys().stream()
                .map(k -> evaluator.evaluate(k.expression(), batch))
                .toArray(Column[]::new);
        if (numbers.length < behind + rows) {
            numbers = Arrays.copyOf(numbers, 2 * (behind + rows));
        }
        if (some.length < rows) {
            some = new int[rows];
        }
        table.number(keys, rows, some);
        System.arraycopy(some, 0, numbers, behind, rows);
    }

    private void combineFresh() {
        int rows = fresh.rowCount();
        if (rows == 0) {
            return;
        }
        int before = combined.rowCount();
        combine(fresh.build(), combined::appendAll);
        combinations++;
        // With more rows there are more of each key.
        boolean hardlyFewer = combined.rowCount() - before > rows / 2;
        freshRows = hardlyFewer ? Math.max(freshRows, Math.min(2 * freshRows, MOST_FRESH)) : freshRows;
        if (combined.sizeInBytes() > space.limit() / 4) {
            combineAgain();
        }
    }

    private void combineAgain() {
        int before = combined.rowCount();
        if (combinations > 1) {
            Batch all = combined.build();
            for (int from = 0; from < before; from += Batch.TARGET_ROWS) {
                number(all.slice(from, Math.min(Batch.TARGET_ROWS, before - from)), from);
            }
            combine(all, combined::appendAll);
        }
        combinations = 1;
        boolean isMuch = combined.rowCount() > before / 2;
        if (isMuch) {
            passOn();
            passesOn = rowsOut > WORTHWHILE * rowsIn;
        }
    }

    private void passOn() {
        rowsOut += combined.rowCount();
        combinations = 0;
        push(combined.build());
    }

    /** Gives the code rows whose keys have numbers, those of a key one after the other. */
    private void combine(Batch batch, Consumer<Batch> out) {
        int rows = batch.rowCount();
        int[] next = new int[table.size() + 1];
        for (int i = 0; i < rows; i++) {
            next[numbers[i] + 1]++;
        }
        for (int k = 1; k < next.length; k++) {
            next[k] += next[k - 1];
        }
        int[] order = new int[rows];
        for (int i = 0; i < rows; i++) {
            order[next[numbers[i]]++] = i;
        }
        table.takeKeys();
        // What were the first places of the groups are now their ends.
        code.accept(new NumberedGroups(batch.dense(), order, next, next.length - 1), out);
    }

    @Override
    public void finish() {
        combineFresh();
        if (combinations > 1) {
            combineAgain();
        }
        if (combined.rowCount() > 0) {
            passOn();
        }
        code.finish(this::push);
        next.finish();
    }
}
