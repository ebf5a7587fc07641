package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;

/** Words that the grammar has a use for are names where the standard does not reserve them. */
class NameWordsTest {

    private static Plan plan(String sql, String column) {
        return SqlQuery.plan(sql, name -> new Inline(Schema.of(Field.of(column, DataType.INT)), List.of()));
    }

    @ParameterizedTest
    @ValueSource(
            strings = {
                "returns", "returning", "number", "map", "sample", "force", "pivot", "unpivot", "value", "key", "date",
                "day", "hour", "type", "status", "name", "position", "language", "level", "role", "zone", "comment",
                "cost", "option", "source", "target", "version", "month", "year", "minute", "second", "percent", "row",
                "rows", "range", "first", "last", "next", "action", "begin", "format", "index", "view", "schema",
                "sequence", "temp", "replace", "merge", "matched", "plan", "path", "data", "file", "count", "size"
            })
    void aWordThatIsNotReservedIsAName(String word) {
        String sql = "select WORD, t.WORD as WORD from parcels t where WORD > 1 group by WORD order by WORD"
                .replace("WORD", word);
        assertEquals(List.of(word, word), plan(sql, word).schema().names(), sql);
    }

    @Test
    void windowsMadeOfOthersAreNotMadeOfThemselvesOrGivenTwoOrders() {
        String[][] wrong = {
            {"select count(*) over (w order by n) from t window w as (order by n desc)", "window w has an order already"
            },
            {"select count(*) over (w order by n) from t window w as (rows 1 preceding)", "window w has a frame"},
            {"select count(*) over (w order by n) from t window v as (order by n)", "unknown window w"},
            {"select count(*) over v from t window v as (w), w as (v)", "is made of itself"}
        };
        for (String[] each : wrong) {
            String said =
                    assertThrows(UserMistake.class, () -> plan(each[0], "n")).getMessage();
            assertTrue(said.contains(each[1]), said);
        }
        UserMistake placed = assertThrows(
                UserMistake.class, () -> plan("select count(*) over (w order by n), nn from t window w as ()", "n"));
        assertTrue(placed.getMessage().contains("column 38"), placed.getMessage());
    }

    @Test
    void aPlaceIsThatInTheTextAsItWasWritten() {
        UserMistake e = assertThrows(
                UserMistake.class,
                () -> plan("select number,\n  map, number + nosuch from (select 1 as number, 2 as map) t", "x"));
        assertTrue(e.getMessage().contains("unknown column nosuch"), e.getMessage());
        assertTrue(e.getMessage().contains("(line 2, column 17)"), e.getMessage());
        assertTrue(e.getMessage().endsWith("\n  " + " ".repeat(16) + "^"), e.getMessage());
    }

    @Test
    void aReservedWordIsNamedWithTheWayToWriteIt() {
        UserMistake e = assertThrows(UserMistake.class, () -> plan("select x, window from parcels", "x"));
        assertTrue(
                e.getMessage()
                        .startsWith("cannot read this query; if window is meant as a name, write it as \"window\""
                                + " (column 11)"),
                e.getMessage());
        assertEquals(
                List.of("window"),
                plan("select \"window\" from parcels", "window").schema().names());
    }
}
