package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;

/** Data that is not as it should be, from reading to writing: one line, the right family, nothing written. */
class BadDataTest {

    @TempDir
    Path root;

    private Settings settings;

    @BeforeEach
    void chooseSettings() {
        settings = Settings.defaults()
                .with("runs.folder", "")
                .with("bad-records.folder", root.resolve("bad").toString());
    }

    private String file(String name, String text) throws IOException {
        Path path = root.resolve(name);
        Files.createDirectories(path.getParent());
        Files.writeString(path, text);
        return path.toString();
    }

    private String failure(Class<? extends UnimerosException> family, String path) {
        try (Engine engine = Engine.local(settings)) {
            UnimerosException e = assertThrows(
                    family, () -> engine.read(path).write(root.resolve("out").toString(), as -> as.json()));
            assertFalse(hasOutput(), "something was written");
            assertEquals(-1, e.getMessage().indexOf('\n'), e.getMessage());
            return e.getMessage();
        }
    }

    private boolean hasOutput() {
        if (!Files.exists(root.resolve("out"))) {
            return false;
        }
        try (Stream<Path> files = Files.walk(root.resolve("out"))) {
            return files.anyMatch(f -> f.toString().endsWith(".jsonl"));
        } catch (IOException e) {
            throw new IllegalStateException(e);
        }
    }

    @Test
    void aBrokenLineInOneOfManyFilesFailsTheWholeRun() throws IOException {
        for (int i = 0; i < 40; i++) {
            file("d/f" + i + ".jsonl", ("{\"x\":" + i + "}\n").repeat(3));
        }
        file("d/f20.jsonl", "{\"x\":1}\n{\"x\":");
        String message = failure(BadData.class, root.resolve("d").toString());
        assertTrue(message.contains("f20.jsonl:2: broken JSON"), message);
    }

    @Test
    void aValueOfTheWrongTypeBehindTheSampleIsNamed() throws IOException {
        StringBuilder csv = new StringBuilder("id,amount\n");
        for (int i = 1; i <= 5000; i++) {
            csv.append(i).append(',').append(i == 4000 ? "a lot" : i / 2.0).append('\n');
        }
        String message = failure(BadData.class, file("late.csv", csv.toString()));
        assertTrue(
                message.contains("late.csv:4001: column amount is decimal(18, 1), but the value is 'a lot'"), message);
    }

    @Test
    void columnsThatSomeFilesLackAreNullThereWithAWarning() throws IOException {
        file("d/a.csv", "id,kind\n1,x\n");
        file("d/b.csv", "kind,id,extra\ny,2,z\n");
        file("d/c.csv", "id\n3\n");
        try (Engine engine = Engine.local(settings)) {
            Result result =
                    engine.read(root.resolve("d").toString()).sortBy("id").fetch();
            assertEquals("(id int, kind text, extra text)", result.schema().toString());
            assertEquals("1 | x | ", result.row(0).toString());
            assertEquals("2 | y | z", result.row(1).toString());
            assertEquals("3 |  | ", result.row(2).toString());
            assertTrue(
                    result.run().warnings().stream().anyMatch(w -> w.contains("column extra is absent in some files")),
                    result.run().warnings().toString());
        }
    }

    @Test
    void emptyFilesAmongOthersAreNoTrouble() throws IOException {
        file("d/a.csv", "id\n1\n");
        file("d/b.csv", "");
        file("d/c.csv", "id\n");
        try (Engine engine = Engine.local(settings)) {
            assertEquals(1, engine.read(root.resolve("d").toString()).count());
        }
    }

    @Test
    void anEmptyResultIsWrittenAsNoFilesAndReplacesWhatItShould() throws IOException {
        String in = file("in.csv", "id,day\n1,a\n2,b\n");
        String out = root.resolve("out").toString();
        try (Engine engine = Engine.local(settings)) {
            engine.read(in).write(out, as -> as.json().partitionedBy("day"));
            Run none = engine.read(in)
                    .where("id > 5")
                    .write(out, as -> as.json().partitionedBy("day").replacingPartitions());
            assertEquals(0, none.rows());
            assertEquals(2, engine.read(out).count());
            engine.read(in).where("id > 5").write(out, as -> as.json().replacing());
            UserMistake empty = assertThrows(UserMistake.class, () -> engine.read(out));
            assertTrue(empty.getMessage().contains("is empty"), empty.getMessage());
        }
    }

    @Test
    void aFileThatGoesAwayAfterItWasListedIsNamed() throws IOException {
        String path = file("gone.csv", "id\n1\n");
        try (Engine engine = Engine.local(settings)) {
            Rows rows = engine.read(path);
            Files.delete(Path.of(path));
            ResourceFailure e = assertThrows(ResourceFailure.class, rows::fetch);
            assertTrue(e.getMessage().contains("gone.csv: it does not exist"), e.getMessage());
        }
    }

    @Test
    void datasetsThatCannotBeOneAreRefusedWhenTheyAreRead() throws IOException {
        file("mixed/a.csv", "x\n1\n");
        file("mixed/b.jsonl", "{}\n");
        Files.createDirectories(root.resolve("hollow"));
        assertTrue(failure(UserMistake.class, root.resolve("mixed").toString()).contains("mixes formats"));
        assertTrue(failure(UserMistake.class, root.resolve("hollow").toString()).contains("is empty"));
        assertTrue(failure(UserMistake.class, root.resolve("none").toString()).contains("there is no dataset"));
        assertTrue(failure(BadData.class, file("x.parquet", "PAR1 no more")).contains("not a readable Parquet file"));
    }

    @Test
    void leavingOutCountsEachRecordOnceWhateverTheSlots() throws IOException {
        StringBuilder text = new StringBuilder();
        for (int i = 0; i < 3000; i++) {
            text.append(i % 100 == 7 ? "{\"id\":" + i + "\n" : "{\"id\":" + i + "}\n");
        }
        String path = file("many.jsonl", text.toString());
        for (String slots : List.of("1", "2", "7")) {
            Settings skipping =
                    settings.with("bad-records", "skip").with("slots", slots).with("split.target", "2kB");
            try (Engine engine = Engine.local(skipping)) {
                Result result = engine.sql("select count(*) n from dataset('" + path + "')")
                        .fetch();
                assertEquals(2970, result.row(0).longValue("n"));
                assertEquals(30, result.run().skippedRecords());
            }
        }
        Settings few = settings.with("bad-records", "skip").with("bad-records.limit", "10");
        try (Engine engine = Engine.local(few)) {
            BadData e = assertThrows(BadData.class, () -> engine.read(path).fetch());
            assertTrue(
                    e.getMessage().startsWith("more than 10 bad records (setting bad-records.limit)"), e.getMessage());
        }
    }

    @Test
    void whatWasDivertedCanBeMendedAndRead() throws IOException {
        String path = file("in.csv", "id,name\n1,\"a, b\"\ntwo,\"c \"\"d\"\"\"\n3,e\n");
        try (Engine engine = Engine.local(settings.with("bad-records", "divert"))) {
            Result result = engine.read(path, o -> o.column("id", "int").column("name", "text"))
                    .fetch();
            assertEquals(2, result.size());
            Path kept = result.run().badRecords().orElseThrow();
            assertEquals(
                    "{\"file\":\"" + path + "\",\"line\":3,\"reason\":\"column id is int, but the value is 'two'\","
                            + "\"record\":\"two,\\\"c \\\"\\\"d\\\"\\\"\\\"\"}\n",
                    Files.readString(kept));
            assertTrue(
                    result.run().summary().contains("1 bad record left out and kept in " + kept),
                    result.run().summary());
            String mended = root.resolve("mended").toString();
            engine.sql("select replace(record, 'two', '2') as line from dataset('" + kept + "')")
                    .write(mended, as -> as.format("text"));
            Result again =
                    engine.read(mended, o -> o.format("csv").header(false)).fetch();
            assertEquals("2 | c \"d\"", again.row(0).toString());
        }
    }

    @Test
    void whichRecordsAreLeftOutDoesNotDependOnTheColumnsThatAreRead() throws IOException {
        StringBuilder csv = new StringBuilder("id,n,t\n");
        StringBuilder json = new StringBuilder();
        for (int i = 0; i < 3_000; i++) {
            boolean isBad = i >= 2_000 && i % 100 < 3;
            String n = isBad && i % 100 == 0 ? "many" : "" + i;
            String id = isBad && i % 100 == 1 ? "none" : "" + i;
            csv.append(id).append(',').append(n).append(isBad && i % 100 == 2 ? ",t,u\n" : ",t\n");
            json.append(
                    isBad && i % 100 == 2
                            ? "{\"id\"\n"
                            : "{\"id\": \"" + id + "\", \"n\": \"" + n + "\", \"t\": \"t\"}\n");
        }
        for (String path : List.of(file("mixed.csv", csv.toString()), file("mixed.jsonl", json.toString()))) {
            for (String mode : List.of("skip", "divert")) {
                try (Engine engine = Engine.local(settings.with("bad-records", mode))) {
                    for (String wanted : List.of("count(*)", "count(id)", "count(n)", "count(t)", "count(id + n)")) {
                        Result result = engine.sql("select " + wanted + " as c from dataset('" + path
                                        + "', columns => 'id int, n int, t text')")
                                .fetch();
                        assertEquals(2_970, result.row(0).longValue("c"), path + " " + wanted);
                        assertEquals(30, result.run().skippedRecords(), path + " " + wanted);
                    }
                }
            }
        }
    }
}
