package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.examples.data.DemoData;

/** The same job, unchanged, gives the same rows in the same order in this process and on worker processes, and fails in the same words. */
class WorkersAgreeTest {

    @TempDir
    Path root;

    private Settings settings() {
        return Settings.defaults()
                .with("runs.folder", root.resolve("runs").toString())
                .with("bad-records", "skip")
                .with("shuffle.parts", "4")
                .with("slots", "2")
                .with("split.target", "256kB")
                .with("worker.memory", "400MB")
                .with("memory.scratch", root.resolve("scratch").toString());
    }

    @Test
    void everyQueryGivesTheSameRowsInTheSameOrder() throws IOException {
        DemoData.make(root.resolve("demo"), 6_000, 7, n -> {});
        List<String> different = new ArrayList<>();
        int count = 0;
        try (Engine here = Engine.local(settings(), root.resolve("demo"));
                Engine there = Engine.open(settings().with("workers", "2"), root.resolve("demo"))) {
            for (Path file : PostgresAgreesTest.groups()) {
                List<PostgresAgreesTest.Query> queries = PostgresAgreesTest.queries(file);
                // Every fourth, since each is a run on workers.
                for (int i = 0; i < queries.size(); i += 4) {
                    String query = queries.get(i).ours();
                    String expected = answer(here, query);
                    String got = answer(there, query);
                    count++;
                    if (!expected.equals(got)) {
                        different.add(query + "\n" + expected + "\n" + got);
                    }
                }
            }
        }
        assertTrue(count > 80, "only " + count + " queries");
        assertEquals(List.of(), different);
    }

    private static String answer(Engine engine, String query) {
        try {
            Result result = engine.sql(query).fetch();
            return result.rows().stream().map(Result.Row::toString).collect(Collectors.joining("\n"));
        } catch (UnimerosException e) {
            return e.getClass().getSimpleName() + ": " + e.getMessage();
        }
    }

    @Test
    void aJobWritesTheSameAndKeepsTheSameRecord() throws IOException {
        DemoData.make(root.resolve("demo"), 6_000, 7, n -> {});
        try (Engine here = Engine.local(settings(), root.resolve("demo"));
                Engine there = Engine.open(settings().with("workers", "2"), root.resolve("demo"))) {
            Run one = write(here, "one");
            Run other = write(there, "other");
            assertEquals(one.rows(), other.rows());
            assertEquals(one.files(), other.files());
            assertEquals(one.skippedRecords(), other.skippedRecords());
            assertTrue(one.skippedRecords() > 0);
            for (Engine engine : List.of(here, there)) {
                Path to = root.resolve(engine == here ? "one_code" : "other_code");
                WordsPerTier.run(engine, root.resolve("demo"), to);
                ParcelJourneys.run(engine, root.resolve("demo"), to);
                DeliveryZones.run(engine, root.resolve("demo"), to);
                LoadingLists.run(engine, root.resolve("demo"), to);
            }
            for (String made : List.of("words_per_tier", "journeys", "delivery_zones", "loaded_per_day")) {
                assertEquals(
                        answer(here, "select * from dataset('" + root.resolve("one_code/" + made) + "')"),
                        answer(here, "select * from dataset('" + root.resolve("other_code/" + made) + "')"));
            }
            String order = " order by day, depot_id, kind, at_millis, parcel_id";
            assertEquals(
                    answer(here, "select * from dataset('" + root.resolve("one") + "')" + order),
                    answer(here, "select * from dataset('" + root.resolve("other") + "')" + order));
            assertTrue(other.explain().contains("stage 1"), other.explain());
            assertTrue(other.summary().contains("bad records left out"), other.summary());
        }
    }

    private Run write(Engine engine, String name) {
        return engine.sql("select depot_id, kind, at_millis, parcel_id, day from scans where parcel_id is not null")
                .write(root.resolve(name).toString(), as -> as.format("parquet").partitionedBy("day"));
    }
}
