package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalTime;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;

/** Journeys of parcels as nested records, from file to file. */
class NestedDataTest {

    @TempDir
    Path root;

    private Engine engine;

    @BeforeEach
    void open() throws IOException {
        Files.writeString(
                root.resolve("journeys.jsonl"),
                String.join(
                        "\n",
                        "{\"parcel_id\": 1, \"device\": {\"model\": \"T5\", \"battery\": 0.5}, \"stops\": [{\"depot\":"
                                + " \"D01\", \"minutes\": 12}, {\"depot\": \"D07\", \"minutes\": 3, \"tags\": [\"late\"]}]}",
                        "{\"parcel_id\": 2, \"device\": {\"model\": \"T6\"}, \"stops\": []}",
                        "{\"parcel_id\": 3, \"stops\": [{\"depot\": \"D07\", \"minutes\": 30}]}",
                        "{\"parcel_id\": 4, \"device\": null, \"stops\": null}",
                        ""));
        Settings settings = Settings.defaults()
                .with("runs.folder", "")
                .with("memory.budget", "64MB")
                .with("memory.scratch", root.resolve("scratch").toString());
        engine = Engine.local(settings, root);
    }

    @AfterEach
    void close() {
        engine.close();
    }

    private List<String> rows(String sql) {
        return engine.sql(sql).fetch().rows().stream().map(Result.Row::toString).toList();
    }

    @Test
    void rowsGiveTheirValuesByName() {
        Result.Row row = engine.read("journeys").sortBy("parcel_id").fetch().row(0);
        assertEquals("T5", row.get("device.model"));
        assertEquals(0.5, row.doubleValue("device.battery"));
        assertEquals(Map.of("model", "T5", "battery", 0.5), row.struct("device"));
        assertEquals(2, row.list("stops").size());
        assertEquals("{\"model\":\"T5\",\"battery\":0.5}", row.text("device"));
        assertThrows(UserMistake.class, () -> row.get("device.weight"));
        Result.Row third =
                engine.read("journeys").where("parcel_id = 3").fetch().row(0);
        assertTrue(third.isNull("device.model"));
        assertTrue(third.isNull("device"));
        Result.Row made = engine.sql(
                        "select time '08:15:30' t, X'0aff' b, cast(1.5 as float) f, 12345678901234567890.5 d")
                .fetch()
                .row(0);
        assertEquals(LocalTime.of(8, 15, 30), made.time("t"));
        assertEquals(Bytes.of((byte) 10, (byte) -1), made.bytes("b"));
        assertEquals(1.5f, made.get("f"));
        assertEquals(new BigDecimal("12345678901234567890.5"), made.decimal("d"));
    }

    @Test
    void callsUnnest() {
        Rows stops = engine.read("journeys").unnest("stops", "s").select("parcel_id, s.depot, minutes");
        assertEquals(
                List.of("1 | D01 | 12", "1 | D07 | 3", "3 | D07 | 30"),
                stops.sortBy("parcel_id, depot").fetch().rows().stream()
                        .map(Result.Row::toString)
                        .toList());
        Rows kept =
                engine.read("journeys").unnestKeeping("stops.depot", "depot").select("parcel_id, depot");
        assertEquals(
                List.of("1 | D01", "1 | D07", "2 | ", "3 | D07", "4 | "),
                kept.sortBy("parcel_id, depot").fetch().rows().stream()
                        .map(Result.Row::toString)
                        .toList());
        assertTrue(stops.explain().contains("unnest"), stops.explain());
        assertThrows(UserMistake.class, () -> engine.read("journeys").unnest("parcel_id", "x"));
    }

    @Test
    void journeysAreTakenApartAndPutTogetherAgain() {
        String way = "select parcel_id, list_agg(struct(s.depot as depot, s.minutes as minutes, s.tags as tags)"
                + " order by s.position) as stops from journeys j, unnest(j.stops) with ordinality as s"
                + " group by parcel_id";
        assertEquals(
                List.of("true | 1", "true | 3"),
                rows("select a.stops = j.stops, a.parcel_id from (" + way
                        + ") a join journeys j on a.parcel_id = j.parcel_id order by 2"));
        assertEquals(
                List.of("D07 | [1,3] | 33", "D01 | [1] | 12"),
                rows("select s.depot, list_agg(parcel_id order by parcel_id), sum(s.minutes) from journeys j,"
                        + " unnest(j.stops) s group by s.depot order by 3 desc"));
    }

    @Test
    void nestedColumnsSurviveEveryFormat() {
        String original = rows("select * from journeys order by parcel_id").toString();
        for (String format : List.of("parquet", "json", "csv")) {
            String copy = root.resolve("copy-" + format).toString();
            engine.read("journeys").sortBy("parcel_id").write(copy, as -> as.format(format));
            String back = format.equals("csv")
                    ? "select parcel_id, cast(device as struct(model text, battery double)) device, cast(stops as"
                            + " struct(depot text, minutes int, tags text[])[]) stops from dataset('" + copy
                            + "') order by parcel_id"
                    : "select * from dataset('" + copy + "') order by parcel_id";
            assertEquals(original, rows(back).toString(), format);
        }
        engine.script(
                        "insert into \"" + root.resolve("copy-parquet")
                                + "\" select 9, struct('T7' as model, 0.1e0 as battery), null",
                        Map.of())
                .next();
        assertEquals(
                List.of("9 | T7 | "),
                rows("select parcel_id, device.model, stops from dataset('" + root.resolve("copy-parquet")
                        + "') where parcel_id > 4"));
    }

    @Test
    void listsAreKeysOfGroupsJoinsAndOrders() {
        assertEquals(
                List.of("[1,2] | 2", "[1] | 1", "[] | 1", " | 1"),
                rows(
                        "select k, count(*) from (values (array[1, 2]), (array[1]), (array[1, 2]), (cast('[]' as int[])), (null)) t(k)"
                                + " group by k order by k desc nulls last"));
        assertEquals(
                List.of("a | x"),
                rows("select l.n, r.n from (values (array[1, null], 'a'), (array[2], 'b')) l(k, n) join"
                        + " (values (array[1, null], 'x'), (null, 'y')) r(k, n) on l.k = r.k"));
        assertEquals(
                List.of("{\"a\":1,\"b\":\"x\"}", "{\"a\":1,\"b\":null}", "{\"a\":2,\"b\":\"a\"}"),
                rows(
                        "select distinct s from (select struct(a as a, b as b) s from (values (2, 'a'), (1, null), (1, 'x'), (1, 'x'))"
                                + " t(a, b)) u order by s"));
    }

    /** Lists go through sorts, groups and joins that spill, and come out as they were. */
    @Test
    void muchNestedDataSpills() {
        String made = "select x, series(x, x + x % 5) as l, struct(x % 100 as k, cast(x as text) as t) as s"
                + " from unnest(series(1, 300000)) as u(x)";
        engine.sql(made).write(root.resolve("much").toString(), as -> as.format("parquet"));
        assertEquals(
                List.of("300000 | 45000150000 | 900000"),
                rows(
                        "select count(*), sum(l[1]), sum(cardinality(l)) from (select * from much order by s.t desc, x) t"));
        assertEquals(
                List.of("900000 | 300000"),
                rows("select count(*), count(distinct x) from much m, unnest(m.l) as e(v)"));
        assertEquals(
                List.of("300000 | true"),
                rows("select count(*), bool_and(a.l = b.l and a.s = b.s) from much a join much b on a.s.t = b.s.t"));
        assertEquals(
                List.of("100 | 300000 | true"),
                rows(
                        "select count(*), sum(cardinality(all_of)), bool_and(all_of[1] = k or k = 0 and all_of[1] = 100) from"
                                + " (select s.k, list_agg(x order by x) all_of from much group by s.k) t"));
    }

    @Test
    void valuesThatDoNotFitSayWhere() {
        BadData e = assertThrows(
                BadData.class, () -> rows("select from_json(v, 'int[]') from (values ('[1]'), ('[1, \"x\"]')) t(v)"));
        assertTrue(e.getMessage().contains("'[1, \"x\"]' does not fit int[]"), e.getMessage());
        assertEquals(
                List.of("[1]", ""),
                rows("select try_from_json(v, 'int[]') from (values ('[1]'), ('[1, \"x\"]')) t(v)"));
        BadData sum = assertThrows(
                BadData.class,
                () -> rows("select sum(x) from (values (99999999999999999999999999999999999999), (1)) t(x)"));
        assertTrue(sum.getMessage().contains("out of range for decimal(38, 0)"), sum.getMessage());
        BadData product = assertThrows(
                BadData.class, () -> rows("select x * x from (values (99999999999999999999999999999999999999)) t(x)"));
        assertTrue(product.getMessage().contains("is out of range for decimal(38, 0)"), product.getMessage());
        BadData single = assertThrows(BadData.class, () -> rows("select cast(x as float) from (values (1e300)) t(x)"));
        assertTrue(single.getMessage().contains("does not fit float"), single.getMessage());
        assertEquals(List.of(Arrays.asList(1, null).toString().replace(" ", "")), rows("select array[1, null]"));
    }
}
