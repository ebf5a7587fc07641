package org.unimeros.engine.chain;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.group.FinalGroup;
import org.unimeros.engine.group.GroupForm;
import org.unimeros.engine.group.PartialGroup;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestRuns;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.Blocks;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Output;

/** Rows that a partial grouping gives up to group, from there through a shuffle to the final grouping. */
class GroupFormTest {

    private static final Schema PARCELS = Schema.of(
            Field.of("postcode", DataType.TEXT),
            Field.of("day", DataType.INT),
            Field.of("weight_g", DataType.LONG),
            Field.of("length_cm", DataType.DOUBLE),
            Field.of("service", DataType.TEXT));
    private static final ColumnRef POSTCODE = column(0);
    private static final ColumnRef DAY = column(1);
    private static final ColumnRef WEIGHT = column(2);
    private static final ColumnRef LENGTH = column(3);
    private static final ColumnRef SERVICE = column(4);

    private static ColumnRef column(int index) {
        Field field = PARCELS.fields().get(index);
        return new ColumnRef(index, field.fullName(), field.type());
    }

    private static Aggregate of(String name, Expression... arguments) {
        return Aggregates.of(Aggregates.Call.of(name, List.of(arguments)));
    }

    private static List<Batch> parcels(Random random, int batches) {
        List<Batch> all = new ArrayList<>();
        for (int b = 0; b < batches; b++) {
            BatchBuilder builder = new BatchBuilder(PARCELS);
            for (int i = 0; i < 1000; i++) {
                builder.column(0).appendText("D" + random.nextInt(3000));
                builder.column(1).appendInt(random.nextInt(3));
                if (random.nextInt(5) == 0) {
                    builder.column(2).appendNull();
                } else {
                    builder.column(2).appendLong(random.nextBoolean() ? Long.MAX_VALUE / 40 : random.nextInt(31_000));
                }
                builder.column(3).appendDouble(random.nextInt(800) / 8.0);
                builder.column(4).appendText(random.nextBoolean() ? "express" : "");
                builder.endRow();
            }
            all.add(builder.build());
        }
        return all;
    }

    /** The groups of batches. */
    private static List<List<Object>> groups(
            List<Batch> batches, List<Aggregate> aggregates, boolean givesUp, boolean isShuffled) {
        List<Expression> keys = List.of(POSTCODE, DAY);
        List<NamedAggregate> named = IntStream.range(0, aggregates.size())
                .mapToObj(i -> new NamedAggregate(aggregates.get(i), "a" + i))
                .toList();
        Workspace workspace = new Workspace(new MemoryScratch(), TestRuns.AMPLE_MEMORY, 1);
        Evaluator evaluator = new Evaluator();
        List<Batch> between = new ArrayList<>();
        PartialGroup partial = new PartialGroup(
                evaluator, keys, named, new StepSpace(workspace, givesUp ? 1 : 1 << 26), new Operator() {
                    @Override
                    public void accept(Batch batch) {
                        between.add(batch.dense());
                    }

                    @Override
                    public void finish() {
                        // all is there
                    }
                });
        batches.forEach(partial::accept);
        partial.finish();
        GroupForm form = new GroupForm(2, aggregates);
        assertEquals(givesUp, between.stream().anyMatch(form::isOfRows));
        List<Batch> results = new ArrayList<>();
        FinalGroup last = new FinalGroup(
                evaluator,
                List.of(Named.of("postcode", POSTCODE), Named.of("day", DAY)),
                named,
                new StepSpace(workspace, 1 << 26),
                new Operator() {
                    @Override
                    public void accept(Batch batch) {
                        results.add(batch.dense());
                    }

                    @Override
                    public void finish() {
                        // all is there
                    }
                });
        (isShuffled ? shuffled(evaluator, between, aggregates, workspace) : between).forEach(last::accept);
        last.finish();
        List<Field> fields = new ArrayList<>(
                List.of(PARCELS.fields().get(0), PARCELS.fields().get(1)));
        named.forEach(a -> fields.add(Field.of(a.name(), a.aggregate().type())));
        List<List<Object>> rows = new ArrayList<>(TestTable.toRows(new Schema(fields), results));
        rows.sort(Comparator.comparing((List<Object> r) -> r.get(0).toString()).thenComparing(r -> (Integer) r.get(1)));
        return rows;
    }

    /** What is between the steps, divided into parts and put into blocks and back. */
    private static List<Batch> shuffled(
            Evaluator evaluator, List<Batch> batches, List<Aggregate> aggregates, Workspace workspace) {
        List<DataType> types = new ArrayList<>(List.of(DataType.TEXT, DataType.INT));
        aggregates.forEach(a -> types.addAll(Accumulator.partialTypes(a)));
        Outputs.Divide divide = new Outputs.Divide(
                evaluator,
                new Output.ToParts(List.of(POSTCODE, DAY), 5, Output.ToParts.Notes.NONE),
                types,
                workspace.newStore(),
                Long.MAX_VALUE);
        batches.forEach(divide::accept);
        divide.finish();
        return divide.result().parts().stream()
                .flatMap(part -> part.chunks().stream())
                .map(Chunk::block)
                .map(block -> Blocks.decode(block, block.length))
                .toList();
    }

    @Test
    void groupsAreTheSameWhetherTheirRowsWereGroupedBeforeOrNot() {
        List<List<Aggregate>> cases = List.of(
                List.of(Aggregate.countRows()),
                List.of(of("count", WEIGHT)),
                List.of(of("min", SERVICE)),
                List.of(of("sum", WEIGHT)),
                List.of(of("max", WEIGHT), of("min", WEIGHT), of("count", WEIGHT)),
                List.of(Aggregate.countRows(), of("avg", LENGTH), of("stddev_samp", LENGTH), of("max", SERVICE)),
                List.of(of("approx_count_distinct", SERVICE), of("sum", Operators.arithmetic("*", DAY, DAY))));
        Random random = new Random(3);
        for (List<Aggregate> aggregates : cases) {
            List<Batch> batches = parcels(random, 6);
            List<List<Object>> grouped = groups(batches, aggregates, false, false);
            assertTrue(grouped.size() > 3000);
            assertEquals(grouped, groups(batches, aggregates, true, false), aggregates.toString());
            assertEquals(grouped, groups(batches, aggregates, true, true), aggregates.toString());
        }
    }

    @Test
    void aColumnGoesOnceForAllThatSummarisesIt() {
        List<Aggregate> aggregates = List.of(of("sum", WEIGHT), of("avg", WEIGHT), Aggregate.countRows());
        Batch batch = parcels(new Random(1), 1).get(0);
        GroupForm form = new GroupForm(1, aggregates);
        Batch rows = form.ofRows(new Column[] {batch.column(0)}, batch, new Evaluator());
        assertEquals(2, rows.columnCount(), "the key and the weight");
        assertEquals(form.argument(rows, 0), form.argument(rows, 1));
        assertEquals(null, form.argument(rows, 2));
    }
}
