package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.engine.error.UserMistake;

/**
 * Inner queries of every kind give what evaluating them for each row gives ({@code -Dunimeros.cases=20000} for more), and what
 * PostgreSQL gives where it is installed. A query that differs is printed with its seed.
 */
class InnerQueriesTest {

    private static final int CASES = Integer.getInteger("unimeros.cases", 600);
    private static final long FIRST = Long.getLong("unimeros.seed", 1);

    @TempDir
    Path root;

    private final List<String> different = new ArrayList<>();
    private int refused;

    @Test
    void theyGiveWhatEvaluatingThemForEachRowGives() throws IOException {
        try (Engine engine = engine(FIRST)) {
            for (long seed = FIRST; seed < FIRST + CASES; seed++) {
                RandomInnerQueries.Query query = new RandomInnerQueries(seed, RandomInnerQueries.data(FIRST)).next();
                compare(engine, seed, query.sql(), RandomInnerQueries.sorted(query.rows()));
            }
        }
        report();
    }

    @Test
    void theyGiveWhatPostgresGives() throws IOException, InterruptedException {
        Optional<Path> programs = PostgresCluster.installed();
        assumeTrue(programs.isPresent(), "PostgreSQL is not installed");
        int cases = Integer.getInteger("unimeros.postgres.cases", 200);
        try (Engine engine = engine(FIRST);
                PostgresCluster postgres = PostgresCluster.start(programs.get())) {
            StringBuilder load = new StringBuilder();
            RandomInnerQueries.data(FIRST).forEach((result, rows) -> {
                List<String> columns = RandomInnerQueries.TABLES.get(result);
                load.append("create table " + result + " (" + String.join(" bigint, ", columns) + " bigint);\n");
                rows.forEach(
                        r -> load.append("insert into " + result + " values (" + r.get(0) + ", " + r.get(1) + ");\n"));
            });
            assertEquals("", postgres.sql(load.toString()));
            List<String> queries = new ArrayList<>();
            StringBuilder script = new StringBuilder();
            for (long seed = FIRST; seed < FIRST + cases; seed++) {
                String sql = new RandomInnerQueries(seed, RandomInnerQueries.data(FIRST))
                        .next()
                        .sql();
                queries.add(sql);
                script.append("copy (" + sql + ") to stdout with csv;\n\\echo ~~~~\n");
            }
            String[] answers = postgres.sql(script.toString()).split("~~~~\n", -1);
            for (int i = 0; i < cases; i++) {
                compare(
                        engine,
                        FIRST + i,
                        queries.get(i),
                        answers[i].lines().sorted().toList());
            }
        }
        report();
    }

    private void compare(Engine engine, long seed, String sql, List<String> expected) {
        try {
            List<List<Object>> rows = new ArrayList<>();
            Result result = engine.sql(sql).fetch();
            for (Result.Row row : result.rows()) {
                List<Object> cells = new ArrayList<>();
                for (int c = 0; c < result.schema().size(); c++) {
                    cells.add(row.get(c));
                }
                rows.add(cells);
            }
            List<String> found = RandomInnerQueries.sorted(rows);
            if (!found.equals(expected)) {
                different.add("seed " + seed + ": " + sql + "\n  expected " + expected + "\n  found    " + found);
            }
        } catch (UserMistake e) {
            refused++;
            different.add("seed " + seed + ": " + sql + "\n  refused: " + e.getMessage());
        } catch (RuntimeException e) {
            different.add("seed " + seed + ": " + sql + "\n  failed: " + e);
        }
    }

    private void report() {
        assertEquals(
                "",
                String.join("\n", different.subList(0, Math.min(8, different.size()))),
                () -> different.size() + " of the queries differ, of which " + refused + " are refused");
        assertTrue(different.isEmpty());
    }

    private Engine engine(long seed) throws IOException {
        for (Map.Entry<String, List<List<Object>>> result :
                RandomInnerQueries.data(seed).entrySet()) {
            StringBuilder csv =
                    new StringBuilder(String.join(",", RandomInnerQueries.TABLES.get(result.getKey())) + "\n");
            for (List<Object> row : result.getValue()) {
                csv.append(row.get(0) == null ? "" : row.get(0))
                        .append(',')
                        .append(row.get(1) == null ? "" : row.get(1))
                        .append('\n');
            }
            Files.writeString(root.resolve(result.getKey() + ".csv"), csv.toString());
        }
        Settings settings = Settings.defaults().with("runs.folder", "").with("shuffle.parts", "2");
        return Engine.local(settings, root);
    }
}
