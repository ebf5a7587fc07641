package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.Rewrite;

/** Which joins, groupings and windows SQL turns into. */
class SubqueryPlanTest {

    private static final Map<String, Schema> TABLES = Map.of(
            "parcels",
            Schema.of(
                    Field.of("parcel_id", DataType.LONG),
                    Field.of("shipper_id", DataType.INT),
                    Field.of("weight_g", DataType.INT),
                    Field.of("service", DataType.TEXT)),
            "shippers",
            Schema.of(Field.of("shipper_id", DataType.INT), Field.of("tier", DataType.TEXT)));

    private static Plan table(String name) {
        Schema schema = TABLES.get(name);
        if (schema == null) {
            throw new UserMistake("there is no dataset " + name);
        }
        return PlanBuilder.as(new Inline(schema, List.of()), name);
    }

    private static String plan(String sql) {
        return Rewrite.apply(SqlQuery.plan(sql, SubqueryPlanTest::table)).print();
    }

    private static int count(String text, String part) {
        return text.split(Pattern.quote(part), -1).length - 1;
    }

    @Test
    void existsAndInBecomeSemiAndAntiJoins() {
        String exists = plan(
                "select tier from shippers s where exists (select 1 from parcels p where p.shipper_id = s.shipper_id)");
        assertTrue(exists.contains("semi join on s.shipper_id = p.shipper_id"), exists);
        String not = plan("select tier from shippers s where not exists"
                + " (select 1 from parcels p where p.shipper_id = s.shipper_id and p.weight_g > 5)");
        assertTrue(not.contains("anti join on s.shipper_id = p.shipper_id"), not);
        assertTrue(not.contains("where parcels.weight_g > 5"), not);
        String in = plan("select tier from shippers where shipper_id in (select shipper_id from parcels)");
        assertTrue(in.contains("semi join on shippers.shipper_id = parcels.shipper_id"), in);
        assertFalse(in.contains("mark join"), in);
    }

    @Test
    void anAnswerThatIsAColumnIsAMark() {
        String marked =
                plan("select tier, exists (select 1 from parcels p where p.shipper_id = s.shipper_id) from shippers s");
        assertTrue(marked.contains("mark join on s.shipper_id = p.shipper_id"), marked);
        String either = plan("select tier from shippers s where tier = 'gold'"
                + " or exists (select 1 from parcels p where p.shipper_id = s.shipper_id)");
        assertTrue(either.contains("mark join"), either);
    }

    @Test
    void notInLooksForNullsOnce() {
        String not = plan("select tier from shippers where shipper_id not in (select shipper_id from parcels)");
        assertTrue(not.contains("mark join on shippers.shipper_id = parcels.shipper_id"), not);
        assertTrue(not.contains("summarise count(*) as all, count(parcels.shipper_id) as present"), not);
    }

    @Test
    void valuesBecomeLeftJoinsOfGroupings() {
        String count =
                plan("select tier, (select count(*) from parcels p where p.shipper_id = s.shipper_id) from shippers s");
        assertTrue(count.contains("left join on s.shipper_id = correlated"), count);
        assertTrue(count.contains("summarise count(*) by p.shipper_id as correlated"), count);
        assertTrue(count.contains("then 0"), "a count of nothing is 0: " + count);
        String one = plan("select (select tier from shippers s where s.shipper_id = p.shipper_id) from parcels p");
        assertTrue(one.contains("only(s.tier)"), one);
        String alone = plan("select parcel_id from parcels where weight_g > (select avg(weight_g) from parcels)");
        assertTrue(alone.contains("left join") && alone.contains("avg(parcels.weight_g)"), alone);
    }

    @Test
    void otherComparisonsUseTheDistinctValuesOfTheRowsAround() {
        String bigger =
                plan("select parcel_id, (select count(*) from parcels q where q.weight_g > p.weight_g) from parcels p");
        assertTrue(bigger.contains("distinct p.weight_g"), bigger);
        String first = plan("select (select q.parcel_id from parcels q where q.shipper_id = p.shipper_id"
                + " order by q.weight_g limit 1) from parcels p");
        assertTrue(first.contains("window row_number() as number by") && first.contains("order by q.weight_g"), first);
    }

    @Test
    void anEqualityOfAllBranchesOfAnOrIsAKey() {
        String pairs = plan("select 1 from parcels p, shippers s where p.shipper_id = s.shipper_id and s.tier = 'gold'"
                + " or p.weight_g > 5 and p.shipper_id = s.shipper_id");
        assertTrue(pairs.contains("join on p.shipper_id = s.shipper_id"), pairs);
        assertTrue(pairs.contains("(s.tier = 'gold') or (p.weight_g > 5)"), pairs);
        String same = plan("select 1 from parcels p join shippers s on (p.shipper_id = s.shipper_id and p.weight_g > 5)"
                + " or p.shipper_id = s.shipper_id");
        assertTrue(same.contains("join on p.shipper_id = s.shipper_id") && !same.contains(" or "), same);
        String guarded = plan("select 1 from parcels where weight_g <> 0 and 10 / weight_g > 1"
                + " or shipper_id = 3 and 10 / weight_g > 1");
        assertTrue(guarded.contains(" or "), "what can fail stays where it is: " + guarded);
    }

    @Test
    void constantTimesAreComputedBeforeTheRun() {
        String plan = plan("select 1 from parcels where cast(service as date) >= date '2031-03-01' + interval '1' day"
                + " and weight_g > 2 * 500 and shipper_id = 1 / 0");
        assertTrue(plan.contains("date '2031-03-02'") && plan.contains("> 1000"), plan);
        assertTrue(plan.contains("1 / 0"), "what fails does so where rows need it: " + plan);
        String series = plan("select n from unnest(series(1, 100000)) as t(n)");
        assertTrue(series.contains("unnest series(1, 100000)"), "a plan carries no long lists");
    }

    @Test
    void windowsOfOneKindShareASort() {
        String plan = plan("select rank() over (partition by service order by weight_g),"
                + " sum(weight_g) over (partition by service order by weight_g),"
                + " count(*) over (partition by shipper_id) from parcels");
        assertEquals(2, count(plan, "window "), plan);
        assertTrue(
                plan.contains("window rank(), sum(parcels.weight_g) by parcels.service order by parcels.weight_g"),
                plan);
        String named = plan("select rank() over w, row_number() over w from parcels window w as (order by weight_g)");
        assertEquals(1, count(named, "window "), named);
        String unused =
                plan("select parcel_id from (select parcel_id, rank() over (order by weight_g) r from parcels) t");
        assertEquals(0, count(unused, "window "), unused);
    }

    @Test
    void aConditionOnThePartitionGoesBelowTheWindow() {
        String plan = plan("select * from (select service, rank() over (partition by service order by weight_g) r"
                + " from parcels) t where service = 'express' and r < 3");
        assertTrue(plan.indexOf("r < 3") < plan.indexOf("window "), plan);
        assertTrue(plan.indexOf("= 'express'") > plan.indexOf("window "), plan);
    }

    @Test
    void groupingSetsExpandRows() {
        String plan = plan("select service, shipper_id, count(*) from parcels group by rollup (service, shipper_id)");
        assertTrue(plan.contains("expand each row into 3"), plan);
        assertTrue(plan("select service, count(*) from parcels group by cube (service, shipper_id)")
                .contains("expand each row into 4"));
    }

    @Test
    void differencesAndIntersectionsAreGroupings() {
        String plan = plan("select shipper_id from parcels except select shipper_id from shippers");
        assertTrue(plan.contains("summarise max(in first)") && plan.contains("union all of 2"), plan);
        assertTrue(plan("select shipper_id from parcels intersect all select shipper_id from shippers")
                .contains("window row_number() as number among equals"));
    }

    @Test
    void mergedColumnsStandForBoth() {
        Plan using = SqlQuery.plan("select * from parcels join shippers using (shipper_id)", SubqueryPlanTest::table);
        assertEquals(
                List.of("shipper_id", "parcel_id", "weight_g", "service", "tier"),
                using.schema().names());
        String full = plan("select shipper_id from parcels full join shippers using (shipper_id)");
        assertTrue(full.contains("case when parcels.shipper_id is not null"), full);
        Plan natural = SqlQuery.plan("select * from parcels natural join shippers", SubqueryPlanTest::table);
        assertEquals(using.schema().names(), natural.schema().names());
        assertEquals(
                List.of("shipper_id", "shipper_id", "shipper_id"),
                SqlQuery.plan(
                                "select shipper_id, parcels.shipper_id, shippers.shipper_id"
                                        + " from parcels left join shippers using (shipper_id)",
                                SubqueryPlanTest::table)
                        .schema()
                        .names());
    }

    @Test
    void namesAreLookedForFromTheInsideOut() {
        String plan = plan("select (select max(weight_g) from parcels where service = tier) from shippers");
        assertTrue(plan.contains("left join on shippers.tier = correlated"), plan);
        String inner = plan("select 1 from shippers where exists (select 1 from parcels where shipper_id = 1)");
        assertTrue(inner.contains("where parcels.shipper_id = 1"), inner);
        assertThrows(UserMistake.class, () -> plan("select (select kidn from parcels) from shippers"));
    }

    @Test
    void scriptsAreSplitAtSemicolonsOutsideOfTextAndComments() {
        assertEquals(
                List.of("select ';' as \"a;b\"", " -- x;\n select 2 /* ; */"),
                SqlStatement.split("select ';' as \"a;b\"; -- x;\n select 2 /* ; */;;  -- end;"));
        assertEquals(
                List.of("select 1", "\n\nselect 2"),
                SqlStatement.split("select 1;\n\nselect 2").stream()
                        .map(s -> s.replaceAll("\n+select", "\n\nselect"))
                        .toList());
    }
}
