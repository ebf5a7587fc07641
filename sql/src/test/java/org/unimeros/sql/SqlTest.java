package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;

class SqlTest {

    private static final Map<String, Schema> TABLES = Map.of(
            "scans",
            Schema.of(
                    Field.of("scan_id", DataType.LONG),
                    Field.of("parcel_id", DataType.LONG),
                    Field.of("depot_id", DataType.TEXT),
                    Field.of("kind", DataType.TEXT),
                    Field.of("at", DataType.TIMESTAMP),
                    Field.of("device.model", DataType.TEXT),
                    Field.of("day", DataType.DATE)),
            "parcels",
            Schema.of(
                    Field.of("parcel_id", DataType.LONG),
                    Field.of("weight_g", DataType.INT),
                    Field.of("price", new DataType.Decimal(10, 2))));

    private static Plan table(String name) {
        Schema schema = TABLES.get(name.replace("demo/", ""));
        if (schema == null) {
            throw new UserMistake("there is no dataset " + name);
        }
        return new Inline(schema, List.of());
    }

    private static String plan(String sql) {
        return SqlQuery.plan(sql, SqlTest::table).print();
    }

    private static String mistake(String sql) {
        return assertThrows(UserMistake.class, () -> plan(sql), sql).getMessage();
    }

    private static String expression(String sql) {
        return SqlExpressions.PLAIN.expression(sql, TABLES.get("scans")).toString();
    }

    @Test
    void expressionsMeanWhatTheySay() {
        String[][] cases = {
            {"kind = 'arrival' and day >= date '2031-03-01'", "(kind = 'arrival') and (day >= date '2031-03-01')"},
            {"device.model is not null", "device.model is not null"},
            {"scan_id between 1 and 5", "(scan_id >= 1) and (scan_id <= 5)"},
            {"kind not in ('a', 'b')", "not (kind in ('a', 'b'))"},
            {"at <= at + interval '45' minute", "at <= (at + interval '45' minute)"},
            {
                "at + interval '2 hours' > timestamp '2031-03-01 10:00:00'",
                "(at + interval '2' hour) > timestamp '2031-03-01 10:00:00'"
            },
            {"case kind when 'a' then 1 else 2 end", "case when kind = 'a' then 1 else 2 end"},
            {"cast(scan_id as text) || kind", "concat(cast(scan_id as text), kind)"},
            {"scan_id::double / 2", "cast(scan_id as double) / 2.0"},
            {"-scan_id * 2 + 1", "((-scan_id) * 2) + 1"},
            {"try_cast(kind as int)", "try_cast(kind as int)"},
            {"extract(hour from at)", "extract(hour from at)"},
            {"\"Day\" = DAY", "day = day"},
            {"not (kind like 'a%' or kind is null)", "not ((kind like 'a%') or (kind is null))"},
        };
        for (String[] c : cases) {
            assertEquals(c[1], expression(c[0]), c[0]);
        }
    }

    @Test
    void aQueryBecomesAPlan() {
        assertEquals(
                """
                limit 10
                  order by count(*) desc, scans.depot_id
                    select scans.depot_id, count(*), avg(scans.scan_id) as mean
                      where max(scans.scan_id) > 5
                        summarise count(*), avg(scans.scan_id), max(scans.scan_id) by scans.depot_id
                          where scans.day = date '2031-03-02'
                            select scans.scan_id, scans.parcel_id, scans.depot_id, scans.kind, scans.at, \
                scans.device.model, scans.day
                              given rows [scan_id, parcel_id, depot_id, kind, at, device.model, day]
                """,
                plan("select depot_id, count(*), avg(scan_id) as mean from \"demo/scans\" where day = date '2031-03-02'"
                        + " group by 1 having max(scan_id) > 5 order by 2 desc, depot_id limit 10"));
    }

    @Test
    void joinsFindTheirKeys() {
        String plan =
                plan("select s.kind from scans s left join parcels p on s.parcel_id = p.parcel_id and p.weight_g > 5");
        assertTrue(plan.contains("left join on s.parcel_id = p.parcel_id and p.weight_g > 5"), plan);
        assertTrue(plan("select 1 from scans join parcels using (parcel_id)")
                .contains("join on scans.parcel_id = parcels.parcel_id"));
        assertTrue(plan("select 1 from scans, parcels p where p.weight_g > 1").contains("join on true"));
    }

    @Test
    void ordersCanNameWhatIsNotSelected() {
        String plan = plan("select kind as k from scans order by scan_id, k desc nulls last");
        assertTrue(plan.startsWith("select k\n  order by order 1, k desc nulls last"), plan);
        assertTrue(plan("select distinct kind from scans order by kind").startsWith("order by"), "distinct");
    }

    @Test
    void withUnionAndInnerQueries() {
        String plan =
                plan("with q as (select kind from scans) select * from q union select 'x' union all select kind from"
                        + " (select kind from scans) r limit 3 offset 1");
        assertTrue(plan.startsWith("limit 3 offset 1\n  union all of 2\n    distinct"), plan);
    }

    @Test
    void mistakesHaveTheirPlace() {
        String[][] cases = {
            {
                "select kidn from scans",
                "unknown column kidn; did you mean kind? (column 8)\n  select kidn from scans\n         ^"
            },
            {"select kind from scanz", "there is no dataset scanz (column 18)"},
            {
                "select kind\nfrom scans\nwhere kind > 5",
                "found text and int (5); use cast(… as int) or cast(… as text) (line 3, column 7)"
            },
            {
                "select kind + 1 from scans",
                "operator + needs two numbers, but found text (scans.kind) and int (1) (column 8)"
            },
            {"selct 1", "did not expect selct in this query (column 1)"},
            {"select (1 from scans", "did not expect"},
            {"select kind, count(*) from scans", "column kind is neither in group by nor inside an aggregate"},
            {
                "select count(*) from scans where count(*) > 1",
                "a condition on aggregates belongs into having (column 34)"
            },
            {"select sum(max(scan_id)) from scans", "aggregates cannot be nested"},
            {"select lenght(kind) from scans", "unknown function lenght; did you mean length?"},
            {"select x.kind from scans s", "unknown column x.kind"},
            {"select parcel_id from scans s join parcels p on s.parcel_id = p.parcel_id", "ambiguous"},
            {"select kind from scans order by 3", "there is no output column 3; there are 1"},
            {"select date '2031-13-01'", "'2031-13-01' is not a date; write it as date '2031-03-04'"},
            {"select kind from scans limit kind", "unknown column kind"},
            {"select kind from scans limit 'x'", "limit needs a whole number"},
            {"select interval '1' day", "an interval can only be added"},
            {"select rank() over (order by kidn) from scans", "unknown column kidn; did you mean kind? (column 30)"},
            {"select rank(kind) over (order by kind) from scans", "window function rank is called as rank() over (…)"},
            {"select rank() from scans", "rank needs a window, as in: rank(…) over ("},
            {"select 1 from scans where row_number() over () = 1", "a window function is not allowed here"},
            {
                "select sum(scan_id) over (order by kind rows between current row and 1 preceding) from scans",
                "cannot end"
            },
            {"select sum(scan_id) over w from scans", "unknown window w"},
            {"select 1 from scans where kind in (select kind, day from scans)", "compares 1 value with a query of 2"},
            {"select (select kind, day from scans) from scans", "must have one column, but this one has 2"},
            {"select (select kidn from parcels p) from scans", "unknown column kidn"},
            {"select 1 from scans intersect select 'a'", "intersect: column 1 is int on one side and text"},
            {"select kind from scans where matches(kind, '(')", "is no regular expression"},
            {"select percentile_cont(2) within group (order by scan_id) from scans", "a fraction from 0 to 1"},
            {"select percentile_cont(0.5) from scans", "needs an order, as in"},
            {"select grouping(kind) from scans group by kind", "grouping(…) needs a group by with grouping sets"},
            {"select :depot from scans", "parameter :depot has no value"},
            {"select * from (values (1, 2), (3)) t", "all rows of values need 2 columns"},
            {"select kind like 'a' escape 'xy' from scans", "escape needs a text of one character"},
            {"select kind similar to 'a' from scans", "similar to is not supported; use like"},
            {"select round(scan_id, kind) from scans", "round needs a whole literal"},
            {"select to_char(day, 'YYYY x') from scans", "unknown part of a format at 'x'"},
            {"delete from scans", "a statement other than select is not supported"},
            {"select cast(kind as integr) from scans", "unknown type integr"},
            {"select * from unnest(distinct array[1, 1]) u(x)", "distinct or an order in unnest"},
            {"select * from unnest(array[2, 1] order by 1) u(x)", "distinct or an order in unnest"},
            {"select sum(scan_id) over (order by kind groups 1.5 preceding) from scans", "a whole number of groups"},
            {
                "select sum(scan_id) over (order by kind groups between -1 preceding and current row) from scans",
                "a whole number of groups"
            },
            {"select sum(scan_id) over (groups 1 preceding) from scans", "a frame in groups needs an order"},
            {
                "select (with recursive r as (select s.scan_id as n union all select n + 1 from r where n < 3)"
                        + " select max(n) from r) from scans s",
                "a column of the rows around in the recursive query r"
            },
            {"select z.* from scans s", "unknown input z; did you mean s?"},
        };
        List<String> wrong = new ArrayList<>();
        for (String[] c : cases) {
            String message = mistake(c[0]);
            if (!message.contains(c[1])) {
                wrong.add(c[0] + "\n=> " + message + "\nnot: " + c[1]);
            }
        }
        assertEquals(List.of(), wrong);
    }

    @Test
    void listsAndAggregatesOfCallsAreChecked() {
        Schema scans = TABLES.get("scans");
        assertEquals(
                2,
                SqlExpressions.PLAIN
                        .selectList("kind, scan_id + 1 as next", scans)
                        .size());
        assertEquals(7, SqlExpressions.PLAIN.selectList("*", scans).size());
        assertEquals(
                "[count(*) as n, avg(scan_id) as mean]",
                SqlExpressions.PLAIN
                        .aggregates("count(*) as n, avg(scan_id) as mean", scans)
                        .toString());
        UserMistake key = assertThrows(UserMistake.class, () -> SqlExpressions.PLAIN.aggregates("kind", scans));
        assertTrue(key.getMessage().contains("a key goes into groupBy"), key.getMessage());
        UserMistake sum =
                assertThrows(UserMistake.class, () -> SqlExpressions.PLAIN.aggregates("sum(scan_id) / 2", scans));
        assertTrue(sum.getMessage().contains("single aggregates"), sum.getMessage());
        UserMistake select = assertThrows(UserMistake.class, () -> SqlExpressions.PLAIN.selectList("count(*)", scans));
        assertTrue(select.getMessage().contains("use groupBy(…).summarise(…)"), select.getMessage());
        assertEquals(
                "[day desc, kind nulls first]",
                SqlExpressions.PLAIN.order("day desc, kind nulls first", scans).toString());
    }
}
