package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.UserMistake;

class ScriptTest {

    @TempDir
    Path root;

    @BeforeEach
    void parcels() throws IOException {
        Files.writeString(root.resolve("parcels.csv"), """
                parcel_id,service,weight_g,posted_on
                1,express,500,2031-03-01
                2,standard,1500,2031-03-01
                3,,2500,2031-03-02
                """);
    }

    private Engine engine() {
        return Engine.local(Settings.defaults().with("runs.folder", ""), root);
    }

    private String last(String script, Map<String, ?> parameters) {
        try (Engine engine = engine()) {
            Script steps = engine.script(script, parameters);
            String rows = "";
            while (steps.hasNext()) {
                Script.Step step = steps.next();
                rows = step.rows().map(r -> r.fetch().rows().toString()).orElse(step.note());
            }
            return rows;
        }
    }

    private String mistake(String script) {
        return assertThrows(UserMistake.class, () -> last(script, Map.of())).getMessage();
    }

    @Test
    void viewsAreForTheStatementsBehindThem() {
        assertEquals("[2, 3]", last("""
                        -- heavy ones; and a semicolon in a comment
                        create view heavy(id, w) as select parcel_id, weight_g from parcels where weight_g > 1000;
                        select ';' || id from heavy;
                        select id from heavy where w > 0 order by id""", Map.of()));
        assertTrue(
                mistake("create view v as select 1; create view v as select 2").contains("create or replace view"));
        assertEquals("[2]", last("create view v as select 1; create or replace view v as select 2; table v", Map.of()));
    }

    @Test
    void datasetsAreMadeAndAddedTo() {
        String script = """
                create table days as select posted_on, count(*) as n from parcels group by posted_on;
                insert into days select date '2031-03-09', 7;
                insert into days (n) values (100);
                create table if not exists days as select 1 as x;
                select posted_on, n from days order by posted_on nulls first""";
        assertEquals("[ | 100, 2031-03-01 | 2, 2031-03-02 | 1, 2031-03-09 | 7]", last(script, Map.of()));
        assertTrue(Files.isDirectory(root.resolve("days")));
        assertTrue(
                mistake("insert into days select 1").contains("needs 2 columns (posted_on, n), but the query has 1"));
        assertTrue(mistake("insert into days select 'x', 1").contains("column posted_on is date"));
        assertTrue(mistake("insert into dayz select 1").contains("did you mean days?"));
        last("create or replace table days as select 1 as x", Map.of());
        assertEquals("[1]", last("select x from days", Map.of()));
    }

    @Test
    void addedRowsKeepFormatAndPartitions() {
        try (Engine engine = engine()) {
            engine.read("parcels")
                    .write(root.resolve("byday").toString(), as -> as.csv().partitionedBy("posted_on"));
        }
        last("insert into byday (parcel_id, posted_on) values (9, date '2031-03-09')", Map.of());
        assertTrue(Files.isDirectory(root.resolve("byday/posted_on=2031-03-09")));
        assertEquals("[4 | 3]", last("select count(*), count(distinct posted_on) from byday", Map.of()));
    }

    @Test
    void parametersStandForValues() {
        Map<String, Object> values = Map.of(
                "least",
                1000,
                "day",
                LocalDate.parse("2031-03-01"),
                "kind",
                "standard",
                "factor",
                new BigDecimal("1.5"));
        assertEquals(
                "[2 | 2250.0]",
                last(
                        "select parcel_id, weight_g * :factor from parcels"
                                + " where weight_g > :least and posted_on = :day and service = :kind",
                        values));
        assertTrue(assertThrows(UserMistake.class, () -> last("select :dya", Map.of("day", 1)))
                .getMessage()
                .contains("parameter :dya has no value; did you mean day?"));
    }

    @Test
    void parametersOfTheCommandLineAreGuessedWithCare() {
        assertEquals(7, Script.parameter("7"));
        assertEquals(-2.5, ((BigDecimal) Script.parameter("-2.5")).doubleValue());
        assertEquals("01067", Script.parameter("01067"));
        assertEquals(true, Script.parameter("true"));
        assertEquals(LocalDate.parse("2031-03-02"), Script.parameter("date '2031-03-02'"));
        assertEquals("42", Script.parameter("'42'"));
        assertEquals("2031-03-02", Script.parameter("2031-03-02"));
    }

    @Test
    void mistakesAreFoundInTheirLine() {
        String message = mistake("create view a as select 1;\n\nselect kidn\nfrom parcels");
        assertTrue(
                message.contains("unknown column kidn (line 3, column 8)") || message.contains("line 3, column 8"),
                message);
        assertFalse(mistake("drop table parcels").isEmpty());
        assertTrue(mistake("  ;; -- nothing\n").contains("no statement"));
    }
}
