package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.error.UserMistake;

/** What can be said in SQL can be said in calls, with the same rows. */
class RelationalCallsTest {

    private static Engine engine;

    @BeforeAll
    static void open() {
        engine = Engine.local(Settings.defaults().with("runs.folder", ""));
    }

    @AfterAll
    static void close() {
        engine.close();
    }

    private static Rows parcels() {
        return engine.sql("select * from (values (1, 'D01', 500), (2, 'D01', 1500), (3, 'D02', 2500), (4, null, 10))"
                + " p(parcel_id, depot_id, weight_g)");
    }

    private static Rows depots() {
        return engine.sql("select * from (values ('D01', 'Lindental'), ('D03', 'Torfmoor')) d(depot_id, name)");
    }

    private static List<String> rows(Rows rows) {
        return rows.fetch().rows().stream().map(Result.Row::toString).sorted().toList();
    }

    private static final String ON = "p.depot_id = d.depot_id";

    @Test
    void everyKindOfJoin() {
        Rows p = parcels().as("p");
        Rows d = depots().as("d");
        assertEquals(
                List.of(
                        " |  |  | D03 | Torfmoor",
                        "1 | D01 | 500 | D01 | Lindental",
                        "2 | D01 | 1500 | D01 | Lindental"),
                rows(p.rightJoin(d, ON)));
        assertEquals(5, rows(p.fullJoin(d, ON)).size());
        assertEquals(8, rows(p.crossJoin(d)).size());
        assertEquals(List.of("1 | D01 | 500", "2 | D01 | 1500"), rows(p.semiJoin(d, ON)));
        assertEquals(List.of("3 | D02 | 2500", "4 |  | 10"), rows(p.antiJoin(d, ON)));
        assertEquals(
                List.of("1 | true", "2 | true", "3 | false", "4 | false"),
                rows(p.markMatches("known", d, ON).select("parcel_id, known")));
        assertTrue(
                p.semiJoin(d, ON).explain().contains("semi join"),
                p.semiJoin(d, ON).explain());
    }

    @Test
    void windowsInSelect() {
        assertEquals(
                List.of("1 | 2", "2 | 1", "3 | 1", "4 | 1"),
                rows(parcels()
                        .select("parcel_id, rank() over (partition by depot_id order by weight_g desc) as place")));
    }

    @Test
    void pivotAndUnpivot() {
        Rows wide = parcels()
                .groupBy("weight_g > 1000 as heavy")
                .pivot("depot_id", List.of("'D01'", "'D02' as second"), "count(*)");
        assertEquals(List.of("heavy", "D01", "second"), wide.schema().names());
        assertEquals(List.of("false | 1 | 0", "true | 1 | 1"), rows(wide));
        assertEquals(
                List.of("false | D01 | 1", "false | second | 0", "true | D01 | 1", "true | second | 1"),
                rows(wide.unpivot("depot", "parcels", "D01", "second")));
        assertThrows(UserMistake.class, () -> wide.unpivot("heavy", "n", "D01"));
        assertThrows(UserMistake.class, () -> parcels().groupBy().pivot("depot_id", List.of(), "count(*)"));
    }

    @Test
    void setsOfRows() {
        Rows a = engine.sql("values (1), (1), (null)");
        Rows b = engine.sql("values (null), (2)");
        assertEquals(List.of(""), rows(a.intersect(b)));
        assertEquals(List.of("1"), rows(a.except(b)));
    }

    @Test
    void aQueryThatIsUsedAsAValueMustHaveOneRow() {
        Rows several = engine.sql("select (select x from (values (1), (2)) t(x))");
        String message = assertThrows(org.unimeros.engine.error.BadData.class, several::fetch)
                .getMessage();
        assertTrue(message.contains("gave 2 rows"), message);
    }
}
