package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assertions.fail;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.model.RowModel;
import org.unimeros.engine.model.TestTable;

/** Random expressions with operands that can fail: the values of whole batches are those of single rows. */
class EvaluatorPropertyTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("a", DataType.INT),
            Field.of("b", DataType.INT),
            Field.of("t", DataType.TEXT),
            Field.of("x", DataType.BOOLEAN));
    private static final Object[] INTS = {null, 0, 1, -1, 7, 50_000, Integer.MAX_VALUE, Integer.MIN_VALUE};
    private static final Object[] TEXTS = {null, "", "a", "Ä", "12", "a long text beyond the short ones"};

    private Random random;

    private static ColumnRef column(int index) {
        return new ColumnRef(
                index, SCHEMA.field(index).name(), SCHEMA.field(index).type());
    }

    private Expression number(int depth) {
        if (depth == 0) {
            return random.nextBoolean() ? column(random.nextInt(2)) : new Literal(random.nextInt(5) - 2, DataType.INT);
        }
        return switch (random.nextInt(5)) {
            case 0 -> Operators.arithmetic("+", number(depth - 1), number(depth - 1));
            case 1 -> Operators.arithmetic("-", number(depth - 1), number(depth - 1));
            case 2 -> Operators.arithmetic("*", number(depth - 1), number(depth - 1));
            case 3 ->
                Operators.choose(
                        List.of(
                                new Case.Branch(truth(depth - 1), number(depth - 1)),
                                new Case.Branch(truth(depth - 1), number(depth - 1))),
                        number(depth - 1));
            default -> Functions.call("length", List.of(column(2)));
        };
    }

    private Expression truth(int depth) {
        if (depth == 0) {
            return random.nextBoolean() ? column(3) : new IsNull(column(random.nextInt(4)));
        }
        String[] ops = {"=", "<>", "<", "<=", ">", ">="};
        return switch (random.nextInt(6)) {
            case 0 -> Operators.and(List.of(truth(depth - 1), truth(depth - 1), truth(depth - 1)));
            case 1 -> Operators.or(List.of(truth(depth - 1), truth(depth - 1)));
            case 2 -> Operators.not(truth(depth - 1));
            case 3 -> Operators.compare(ops[random.nextInt(6)], number(depth - 1), number(depth - 1));
            case 4 ->
                Operators.compare(
                        ops[random.nextInt(6)], column(2), new Literal(TEXTS[1 + random.nextInt(5)], DataType.TEXT));
            default ->
                Operators.in(
                        number(0),
                        List.of(
                                new Literal(1, DataType.INT),
                                new Literal(7, DataType.INT),
                                new Literal(0, DataType.INT),
                                new Literal(3, DataType.INT),
                                new Literal(4, DataType.INT),
                                new Literal(5, DataType.INT)));
        };
    }

    private List<List<Object>> rows(int count) {
        List<List<Object>> rows = new ArrayList<>();
        for (int i = 0; i < count; i++) {
            List<Object> row = new ArrayList<>();
            row.add(INTS[random.nextInt(INTS.length)]);
            row.add(INTS[random.nextInt(INTS.length - 2)]);
            row.add(TEXTS[random.nextInt(TEXTS.length)]);
            row.add(random.nextInt(4) == 0 ? null : (Object) random.nextBoolean());
            rows.add(row);
        }
        return rows;
    }

    /** The values by the model, or null when some row has none. */
    private static List<Object> byModel(Expression e, List<List<Object>> rows) {
        List<Object> values = new ArrayList<>();
        try {
            rows.forEach(r -> values.add(RowModel.value(e, r)));
            return values;
        } catch (ArithmeticException overflow) {
            return null;
        }
    }

    private static List<Object> byBatch(Evaluator evaluator, Expression e, Batch batch) {
        Column column = evaluator.evaluate(e, batch);
        List<Object> values = new ArrayList<>();
        for (int i = 0; i < batch.rowCount(); i++) {
            values.add(Values.get(column, i, e.type()));
        }
        return values;
    }

    @Test
    void aBatchGivesWhatItsRowsGive() {
        int failing = 0;
        for (long seed = 0; seed < 6000; seed++) {
            random = new Random(seed);
            Expression e = random.nextBoolean() ? truth(3) : number(3);
            List<List<Object>> rows = rows(1 + random.nextInt(70));
            Batch batch = TestTable.toBatch(SCHEMA, rows);
            List<Object> expected = byModel(e, rows);
            String where = "seed " + seed + ": " + e;
            if (expected == null) {
                failing++;
                fails(e, batch, where);
            } else {
                assertEquals(expected, byBatch(new Evaluator(), e, batch), where);
            }
        }
        assertTrue(failing > 100 && failing < 5000, failing + " of 6000 fail");
    }

    private static void fails(Expression e, Batch batch, String where) {
        try {
            byBatch(new Evaluator(), e, batch);
            fail("no failure, " + where);
        } catch (BadData expected) {
            assertTrue(expected.getMessage().contains("out of range for int in "), expected.getMessage());
        }
    }

    @Test
    void aFilterKeepsTheRowsForWhichTheConditionIsTrue() {
        for (long seed = 0; seed < 2000; seed++) {
            random = new Random(seed);
            Expression condition = truth(2);
            List<List<Object>> rows = rows(70);
            if (byModel(condition, rows) != null) {
                Batch left = new Evaluator().filter(condition, TestTable.toBatch(SCHEMA, rows));
                List<List<Object>> expected = rows.stream()
                        .filter(r -> Boolean.TRUE.equals(RowModel.value(condition, r)))
                        .toList();
                assertEquals(expected, TestTable.toRows(SCHEMA, List.of(left)), "seed " + seed + ": " + condition);
            }
        }
    }

    @Test
    void foldingConstantsChangesNoValue() {
        for (long seed = 0; seed < 2000; seed++) {
            random = new Random(seed);
            Expression e = truth(3);
            List<List<Object>> rows = rows(20);
            List<Object> expected = byModel(e, rows);
            if (expected != null) {
                assertEquals(
                        expected,
                        byBatch(new Evaluator(), Expressions.fold(e), TestTable.toBatch(SCHEMA, rows)),
                        "seed " + seed + ": " + e);
            }
        }
    }

    /** What statistics say can be left out must hold no row of interest, for any piece of any data. */
    @Test
    void rangesNeverLeaveOutARowThatMatches() {
        int leftOut = 0;
        for (long seed = 0; seed < 5000; seed++) {
            random = new Random(seed);
            Expression condition = truth(2);
            List<List<Object>> rows = rows(1 + random.nextInt(4));
            if (byModel(condition, rows) == null) {
                continue;
            }
            boolean can = Ranges.canMatch(condition, i -> range(rows, i));
            boolean does = rows.stream().anyMatch(r -> Boolean.TRUE.equals(RowModel.value(condition, r)));
            assertTrue(can || !does, "seed " + seed + ": " + condition + " on " + rows);
            leftOut += can ? 0 : 1;
        }
        assertTrue(leftOut > 100, "only " + leftOut + " were left out");
    }

    @SuppressWarnings({"unchecked", "rawtypes"})
    private Ranges.Range range(List<List<Object>> rows, int column) {
        if (random.nextInt(5) == 0) {
            return null;
        }
        Comparable least = null;
        Comparable greatest = null;
        long nulls = 0;
        for (List<Object> row : rows) {
            Comparable value = (Comparable) row.get(column);
            if (value == null) {
                nulls++;
            } else if (value instanceof Integer) {
                least = least == null || value.compareTo(least) < 0 ? value : least;
                greatest = greatest == null || value.compareTo(greatest) > 0 ? value : greatest;
            }
        }
        return new Ranges.Range(least, greatest, random.nextInt(5) == 0 ? -1 : nulls, rows.size());
    }
}
