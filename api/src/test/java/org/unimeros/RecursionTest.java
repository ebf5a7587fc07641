package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.unimeros.engine.error.UnimerosException;

class RecursionTest {

    private static final String CONTAINERS = """
            with recursive inside(container, depth) as (
              select container, 0 from unnest(array['C1']) as u(container)
              union all
              select 'C' || (cast(substring(container, 2) as int) * 2 + x), depth + 1
              from inside, unnest(series(0, 1)) as s(x) where depth < 4
            ) select depth, count(*) as n from inside group by depth order by depth
            """;

    @TempDir
    Path root;

    private Settings settings() {
        return Settings.defaults()
                .with("runs.folder", root.resolve("runs").toString())
                .with("memory.scratch", root.resolve("scratch").toString());
    }

    @Test
    void levelsAreTheSameHereAndOnWorkersAndLeaveOneRecord() throws IOException {
        String expected = "0 | 1, 1 | 2, 2 | 4, 3 | 8, 4 | 16";
        for (String workers : new String[] {"0", "2"}) {
            try (Engine engine = Engine.open(settings().with("workers", workers))) {
                Result result = engine.sql(CONTAINERS).fetch();
                assertEquals(
                        expected,
                        String.join(
                                ", ",
                                result.rows().stream().map(Object::toString).toList()),
                        workers);
            }
        }
        try (Stream<Path> records = Files.list(root.resolve("runs"))) {
            assertEquals(2, records.count());
        }
    }

    @Test
    void rowsOfARecursiveQueryAreWrittenHeldAndExplained() {
        try (Engine engine = Engine.local(settings())) {
            Rows rows = engine.sql(CONTAINERS);
            assertTrue(rows.explain().contains("scan inside"), rows.explain());
            rows.write(root.resolve("out").toString(), as -> as);
            assertEquals(5, engine.read(root.resolve("out").toString()).count());
            try (Held held = rows.hold()) {
                assertEquals(5, held.rows().count());
            }
            engine.script("create view v as " + CONTAINERS + "; select sum(n) as n from v", Map.of());
        }
    }

    @ParameterizedTest
    @CsvSource(
            delimiter = '|',
            value = {
                "select 1 as n union all select n from r | has rows after 1,000 levels (setting recursion.levels); does it go round",
                "select 1 as n union all select n from r, unnest(series(1, 50)) as s(x) | more than 10,000,000 rows",
                "select 1 as n union all select n + 0.5 from r | begins as int, but goes on as decimal",
                "select 1 as n union all select n, n from r | begins with 1 columns, but goes on with 2",
                "select n from r union all select 1 | there is no dataset r",
                "select 1 as n union all select n + 1 from r where n < 5 order by 1 | an order or limit of the recursive query",
                "select 1 as n union all select 1 / 0 from r | division by zero"
            })
    void whatDoesNotEndOrFitIsRefused(String query, String message) {
        try (Engine engine = Engine.local(settings())) {
            UnimerosException e = assertThrows(
                    UnimerosException.class,
                    () -> engine.sql("with recursive r as (" + query + ") select count(*) from r")
                            .fetch());
            assertTrue(e.getMessage().contains(message), e.getMessage());
        }
    }

    @Test
    void whatLevelsLeaveOutIsSaidOfTheWhole() throws IOException {
        Path file = root.resolve("in.csv");
        Files.writeString(file, "id,n\n1,5\nx,6\n2,7\n");
        try (Engine engine = Engine.local(settings().with("bad-records", "skip"))) {
            Result result = engine.sql("with recursive r as (select id, 0 as d from dataset('" + file
                            + "', columns => 'id int, n int') union all select id, d + 1 from r where d < 2)"
                            + " select count(*) as n from r")
                    .fetch();
            assertEquals(6, result.row(0).longValue("n"));
            assertEquals(
                    List.of("a level of a recursive query: 1 bad record left out"),
                    result.run().warnings());
        }
    }

    @Test
    void theTimeIsOneForAllLevels() {
        try (Engine engine = Engine.local(settings())) {
            Result result = engine.sql(
                            "with recursive r as (select 0 as d, now() as t union all select d + 1, now() from r where d < 5)"
                                    + " select count(distinct t) as n, bool_and(t = now()) as same from r")
                    .fetch();
            assertEquals("1 | true", result.row(0).toString());
        }
    }
}
