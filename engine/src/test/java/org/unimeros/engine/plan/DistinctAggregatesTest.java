package org.unimeros.engine.plan;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.model.RowModel;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/** Plans that stand for others: distinct aggregates, set operations, pivots. */
class DistinctAggregatesTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("depot_id", DataType.TEXT), Field.of("shipper_id", DataType.INT), Field.of("w", DataType.INT));

    private static final Plan SCANS = PlanBuilder.scan(
            TestTable.of(
                    "scans",
                    SCHEMA,
                    new Object[] {"D01", 1, 5},
                    new Object[] {"D01", 1, 6},
                    new Object[] {"D01", 2, null},
                    new Object[] {null, 2, 5},
                    new Object[] {"D02", null, 5},
                    new Object[] {null, 2, 5}),
            null);

    private static Expression column(int index) {
        return PlanBuilder.column(SCHEMA, index);
    }

    private static NamedAggregate aggregate(String name, int argument, boolean distinct) {
        List<Expression> args = argument < 0 ? List.of() : List.of(column(argument));
        return new NamedAggregate(
                Aggregates.of(new Aggregates.Call(name, args, distinct, List.of(), Optional.empty())),
                name + argument + distinct);
    }

    private static List<String> rows(Plan plan) {
        List<String> rows = new ArrayList<>();
        RowModel.rows(plan).forEach(r -> rows.add(r.toString()));
        rows.sort(null);
        return rows;
    }

    private static Plan expanded(boolean keyed, NamedAggregate... aggregates) {
        Group group = new Group(
                SCANS, keyed ? List.of(new Named(column(0), SCHEMA.field(0))) : List.of(), List.of(aggregates));
        Plan plan = DistinctAggregates.expand(group);
        assertEquals(rows(group), rows(plan), plan.print());
        assertEquals(group.schema(), plan.schema());
        assertFalse(plan.print().contains("(distinct "), plan.print());
        return plan;
    }

    @Test
    void oneSetOfValuesIsGroupedTwice() {
        String plan = expanded(true, aggregate("count", 1, true), aggregate("sum", 1, true))
                .print();
        assertFalse(plan.contains("expand"), plan);
        expanded(false, aggregate("count", 1, true));
    }

    @Test
    void severalSetsAndPlainAggregatesExpandRows() {
        String plan = expanded(true, aggregate("count", 1, true), aggregate("count", 2, true))
                .print();
        assertTrue(plan.contains("expand each row into 2"), plan);
        String mixed = expanded(
                        true,
                        aggregate("count", -1, false),
                        aggregate("avg", 2, false),
                        aggregate("count", 1, true),
                        aggregate("sum", 2, true),
                        aggregate("max", 0, false))
                .print();
        assertTrue(mixed.contains("expand each row into 3"), mixed);
        expanded(false, aggregate("count", -1, false), aggregate("count", 0, true), aggregate("var_pop", 2, false));
    }

    @Test
    void countsOfNothingAreZero() {
        Plan none = new Plan.Filter(SCANS, Literal.FALSE);
        Group group = new Group(
                none,
                List.of(),
                List.of(aggregate("count", -1, false), aggregate("count", 1, true), aggregate("sum", 2, false)));
        assertEquals(List.of("[0, 0, null]"), rows(DistinctAggregates.expand(group)));
    }

    @Test
    void setOperationsTakeNullForEqual() {
        Plan depots = PlanBuilder.select(SCANS, List.of(new Named(column(0), SCHEMA.field(0))));
        Plan some = PlanBuilder.limit(depots, 2, 2);
        assertEquals(List.of("[D01]", "[null]"), rows(SetOperations.intersect(depots, some, false)));
        assertEquals(List.of("[D02]"), rows(SetOperations.except(depots, some, false)));
        assertEquals(List.of("[D01]", "[null]"), rows(SetOperations.intersect(depots, some, true)));
        assertEquals(List.of("[D01]", "[D01]", "[D02]", "[null]"), rows(SetOperations.except(depots, some, true)));
    }

    @Test
    void pivotsAreAggregatesWithConditions() {
        Plan pivot = Pivoting.pivot(
                SCANS,
                List.of(new Named(column(0), SCHEMA.field(0))),
                column(1),
                List.of(Named.of("1", new Literal(1, DataType.INT)), Named.of("two", new Literal(2, DataType.INT))),
                List.of(aggregate("count", -1, false)));
        assertEquals(List.of("depot_id", "1", "two"), pivot.schema().names());
        assertEquals(List.of("[D01, 2, 1]", "[D02, 0, 0]", "[null, 0, 2]"), rows(pivot));
        Plan back = Pivoting.unpivot(pivot, "shipper", "n", List.of("1", "two"), List.of("1", "two"), false);
        assertEquals(6, rows(back).size());
        assertTrue(rows(back).contains("[D01, two, 1]"), rows(back).toString());
    }
}
