package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertNull;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

class LayeredCaseTest {

    private static final int ROWS = 300;
    private static final List<DataType.Simple> TYPES =
            List.of(DataType.Simple.INT, DataType.Simple.LONG, DataType.Simple.DOUBLE, DataType.Simple.TEXT);

    private static Object value(DataType type, Random random) {
        int n = random.nextInt(6);
        return n == 0
                ? null
                : switch (type) {
                    case DataType.Simple.INT -> n;
                    case DataType.Simple.LONG -> n * 10_000_000_000L;
                    case DataType.Simple.DOUBLE -> n / 4.0;
                    default -> List.of("load", "unload", "hand over", "Ü", "").get(n - 1);
                };
    }

    /** Two columns of each type, one of which has nulls. */
    private static Batch batch(Random random) {
        Column[] columns = new Column[2 * TYPES.size()];
        for (int c = 0; c < columns.length; c++) {
            ColumnBuilder builder = ColumnBuilder.of(TYPES.get(c / 2));
            while (builder.size() < ROWS) {
                Object value = value(TYPES.get(c / 2), random);
                if (value != null || c % 2 == 1) {
                    Values.append(builder, value);
                }
            }
            columns[c] = builder.build();
        }
        return new Batch(ROWS, columns);
    }

    private static Expression column(DataType.Simple type, Random random) {
        int index = 2 * TYPES.indexOf(type) + random.nextInt(2);
        return new ColumnRef(index, "c" + index, type);
    }

    private static Expression result(DataType.Simple type, Random random) {
        boolean isLiteral = type == DataType.TEXT || random.nextBoolean();
        return isLiteral ? new Literal(value(type, random), type) : column(type, random);
    }

    private static Expression condition(Random random) {
        DataType.Simple type = TYPES.get(random.nextInt(TYPES.size()));
        Expression compared = Operators.compare(
                List.of("=", "<", ">=").get(random.nextInt(3)),
                column(type, random),
                new Literal(type == DataType.TEXT ? "load" : value(type, new Random(1)), type));
        return switch (random.nextInt(4)) {
            case 0 -> new Expression.Not(compared);
            case 1 -> Operators.and(List.of(compared, new Expression.IsNull(column(type, random))));
            default -> compared;
        };
    }

    @ParameterizedTest
    @EnumSource(
            value = DataType.Simple.class,
            names = {"INT", "LONG", "DOUBLE", "TEXT"})
    void rowsHaveTheResultOfTheFirstBranchThatIsTrue(DataType.Simple type) {
        for (int seed = 0; seed < 60; seed++) {
            Random random = new Random(seed);
            List<Case.Branch> branches = new ArrayList<>();
            for (int b = 0; b < 1 + seed % 8; b++) {
                branches.add(new Case.Branch(condition(random), result(type, random)));
            }
            Case choice = new Case(branches, result(type, random), type);
            Batch whole = batch(random);
            int[] some = random.ints(ROWS / 3, 0, ROWS).toArray();
            for (Batch batch : List.of(whole, whole.select(some, some.length))) {
                check(choice, batch);
            }
        }
    }

    private static void check(Case choice, Batch batch) {
        Evaluator evaluator = new Evaluator();
        Column found = evaluator.evaluate(choice, batch);
        for (int row = 0; row < batch.rowCount(); row++) {
            Batch one = batch.select(new int[] {row}, 1);
            Expression expected = choice.branches().stream()
                    .filter(b -> Boolean.TRUE.equals(
                            Values.get(evaluator.evaluate(b.condition(), one), 0, DataType.BOOLEAN)))
                    .findFirst()
                    .map(Case.Branch::result)
                    .orElse(choice.otherwise());
            assertEquals(
                    Values.get(evaluator.evaluate(expected, one), 0, choice.type()),
                    Values.get(found, row, choice.type()),
                    () -> choice.toString());
        }
    }

    @Test
    void textsOfLiteralsComeAsNumbersOfADictionary() {
        Random random = new Random(4);
        Literal load = new Literal("load", DataType.TEXT);
        Case choice = new Case(
                List.of(
                        new Case.Branch(condition(random), load),
                        new Case.Branch(condition(random), new Literal("sort", DataType.TEXT)),
                        new Case.Branch(condition(random), load)),
                new Literal(null, DataType.TEXT),
                DataType.TEXT);
        TextColumn found = (TextColumn) new Evaluator().evaluate(choice, batch(random));
        assertNotNull(found.ids());
        assertEquals(2, found.entries());
    }

    /** What can fail, or takes long, is done for those rows only that need it. */
    @Test
    void whatCanFailIsNotBlended() {
        ColumnRef weight = new ColumnRef(0, "weight", DataType.LONG);
        Expression zero = new Literal(0L, DataType.LONG);
        Expression ratio = Operators.arithmetic("/", new Literal(100L, DataType.LONG), weight);
        Expression isZero = Operators.compare("=", weight, zero);
        Case guarded = new Case(List.of(new Case.Branch(isZero, zero)), ratio, DataType.LONG);
        assertNull(LayeredCase.of(guarded));
        ColumnBuilder weights = ColumnBuilder.of(DataType.LONG);
        for (long value : new long[] {4, 0, 50}) {
            weights.appendLong(value);
        }
        Column found = new Evaluator().evaluate(guarded, new Batch(3, weights.build()));
        assertEquals(
                List.of(25L, 0L, 2L),
                Arrays.asList(
                        Values.get(found, 0, DataType.LONG),
                        Values.get(found, 1, DataType.LONG),
                        Values.get(found, 2, DataType.LONG)));

        Expression isLarge = Operators.compare(">", ratio, zero);
        Case failing = new Case(List.of(new Case.Branch(isLarge, zero)), weight, DataType.LONG);
        assertNotNull(LayeredCase.of(failing), "the one condition is evaluated for every row either way");
        Case second =
                new Case(List.of(new Case.Branch(isZero, zero), new Case.Branch(isLarge, zero)), weight, DataType.LONG);
        assertNull(LayeredCase.of(second));
    }
}
