package org.unimeros.engine.plan;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

class RewriteTest {

    private static final TestTable SCANS = TestTable.of(
            "scans",
            Schema.of(
                    Field.of("parcel_id", DataType.INT),
                    Field.of("kind", DataType.TEXT),
                    Field.of("depot_id", DataType.TEXT)));
    private static final TestTable PARCELS =
            TestTable.of("parcels", Schema.of(Field.of("parcel_id", DataType.INT), Field.of("weight_g", DataType.INT)));

    private static Expression column(Plan plan, String name) {
        return PlanBuilder.column(plan.schema(), plan.schema().resolve(name));
    }

    private static Expression lit(Object value, DataType type) {
        return new Literal(value, type);
    }

    private static Plan joined(JoinKind kind) {
        Plan s = PlanBuilder.scan(SCANS, "s");
        Plan p = PlanBuilder.scan(PARCELS, "p");
        Schema both = s.schema().concat(p.schema());
        Expression on = Operators.compare(
                "=",
                PlanBuilder.column(both, both.resolve("s.parcel_id")),
                PlanBuilder.column(both, both.resolve("p.parcel_id")));
        return PlanBuilder.join(s, p, kind, JoinMethod.AUTOMATIC, on);
    }

    private static Plan filtered(JoinKind kind) {
        Plan join = joined(kind);
        return PlanBuilder.where(
                join,
                Operators.and(List.of(
                        Operators.compare("=", column(join, "kind"), lit("arrival", DataType.TEXT)),
                        Operators.compare(">", column(join, "weight_g"), lit(5, DataType.INT)))));
    }

    @Test
    void conditionsMoveToTheScansAndUnusedColumnsAreNotRead() {
        Plan where = filtered(JoinKind.INNER);
        Plan group = new Group(
                where,
                List.of(Named.of("depot_id", column(where, "depot_id"))),
                List.of(new NamedAggregate(Aggregate.countRows(), "n")));
        assertEquals("""
                summarise count(*) as n by s.depot_id as depot_id
                  join on s.parcel_id = p.parcel_id
                    scan scans [parcel_id, kind, depot_id] where s.kind = 'arrival'
                    scan parcels [parcel_id, weight_g] where p.weight_g > 5
                """, Rewrite.apply(group).print());
    }

    @Test
    void aChoiceBetweenPairsSaysSomethingOfEachSide() {
        Plan join = joined(JoinKind.INNER);
        Expression arrival = Operators.compare("=", column(join, "kind"), lit("arrival", DataType.TEXT));
        Expression departure = Operators.compare("=", column(join, "kind"), lit("departure", DataType.TEXT));
        Expression light = Operators.compare("<", column(join, "weight_g"), lit(5, DataType.INT));
        Expression heavy = Operators.compare(">", column(join, "weight_g"), lit(50, DataType.INT));
        Plan pairs = PlanBuilder.where(
                join,
                Operators.or(
                        List.of(Operators.and(List.of(arrival, light)), Operators.and(List.of(departure, heavy)))));
        String rewritten = Rewrite.apply(pairs).print();
        assertTrue(rewritten.contains("where (s.kind = 'arrival') or (s.kind = 'departure')"), rewritten);
        assertTrue(rewritten.contains("where (p.weight_g < 5) or (p.weight_g > 50)"), rewritten);
        assertTrue(rewritten.contains("((s.kind = 'arrival') and (p.weight_g < 5))"), rewritten);
        Plan oneSided = PlanBuilder.where(join, Operators.or(List.of(arrival, heavy)));
        assertTrue(!Rewrite.apply(oneSided).print().contains("scan scans [parcel_id, kind, depot_id] where"));
    }

    @Test
    void aConditionOnTheOptionalSideOfALeftJoinStaysAboveIt() {
        assertEquals("""
                where p.weight_g > 5
                  left join on s.parcel_id = p.parcel_id
                    scan scans [parcel_id, kind, depot_id] where s.kind = 'arrival'
                    scan parcels [parcel_id, weight_g]
                """, Rewrite.apply(filtered(JoinKind.LEFT)).print());
    }

    @Test
    void aConditionDoesNotPassALimitOrAFailingExpression() {
        Plan scan = PlanBuilder.scan(PARCELS, null);
        Plan limited = PlanBuilder.where(
                PlanBuilder.limit(scan, 0, 5), Operators.compare(">", column(scan, "weight_g"), lit(5, DataType.INT)));
        assertTrue(Rewrite.apply(limited).print().startsWith("where weight_g > 5\n  limit 5"), limited.print());
        Plan derived = PlanBuilder.select(
                scan,
                List.of(Named.of("q", Operators.arithmetic("/", lit(1, DataType.INT), column(scan, "weight_g")))));
        Plan where = PlanBuilder.where(derived, Operators.compare(">", column(derived, "q"), lit(0, DataType.INT)));
        assertTrue(Rewrite.apply(where).print().startsWith("where q > 0\n  select"), where.print());
    }

    @Test
    void constantsAreFolded() {
        Plan scan = PlanBuilder.scan(PARCELS, null);
        Expression always = Operators.compare("=", lit("a", DataType.TEXT), lit("a", DataType.TEXT));
        Plan where =
                PlanBuilder.where(scan, Operators.or(List.of(always, new Expression.IsNull(column(scan, "weight_g")))));
        assertTrue(
                Rewrite.apply(where).print().contains("where true or (weight_g is null)"),
                Rewrite.apply(where).print());
    }

    @Test
    void rewritingKeepsTheSchema() {
        for (Plan plan : List.of(
                joined(JoinKind.LEFT), filtered(JoinKind.INNER), PlanBuilder.distinct(joined(JoinKind.INNER)))) {
            assertEquals(plan.schema(), Rewrite.apply(plan).schema());
        }
    }

    @Test
    void namesAreResolvedWithAndWithoutTheirInput() {
        Plan join = joined(JoinKind.INNER);
        UserMistake ambiguous = assertThrows(UserMistake.class, () -> column(join, "parcel_id"));
        assertTrue(ambiguous.getMessage().contains("s.parcel_id or p.parcel_id"), ambiguous.getMessage());
        UserMistake unknown = assertThrows(UserMistake.class, () -> column(join, "wieght_g"));
        assertEquals("unknown column wieght_g; did you mean weight_g?", unknown.getMessage());
        assertEquals("p.weight_g", column(join, "P.Weight_G").toString());
    }

    @Test
    void unionsNeedColumnsThatMeet() {
        Plan scans = PlanBuilder.scan(SCANS, null);
        Plan parcels = PlanBuilder.scan(PARCELS, null);
        UserMistake count = assertThrows(UserMistake.class, () -> PlanBuilder.union(scans, parcels));
        assertTrue(count.getMessage().contains("same number of columns, but found 3"), count.getMessage());
        Plan two = PlanBuilder.select(scans, PlanBuilder.columns(scans.schema()).subList(0, 2));
        UserMistake type = assertThrows(UserMistake.class, () -> PlanBuilder.union(parcels, two));
        assertTrue(type.getMessage().contains("column weight_g is int on one side and text"), type.getMessage());
    }

    @Test
    void aFilteredAggregateCountsOnlyWhatFulfilsItsCondition() {
        Plan scan = PlanBuilder.scan(SCANS, null);
        Expression arrival = Operators.compare("=", column(scan, "kind"), lit("arrival", DataType.TEXT));
        Aggregate count = Aggregates.of(Aggregates.Call.of("count", List.of()).where(arrival));
        assertEquals("count(case when kind = 'arrival' then 1 end)", count.toString());
    }
}
