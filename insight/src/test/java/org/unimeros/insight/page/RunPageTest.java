package org.unimeros.insight.page;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.insight.diagnosis.MadeUpRun;

/** What the page of a run says, as the data that its scripts draw. */
class RunPageTest {

    private static final ObjectMapper JSON = new ObjectMapper();

    @TempDir
    Path folder;

    private static JsonNode data(Path page) throws Exception {
        String html = Files.readString(page);
        String start = "<script type=\"application/json\" id=\"data\">";
        int from = html.indexOf(start) + start.length();
        return JSON.readTree(html.substring(from, html.indexOf("</script>", from)));
    }

    private JsonNode data(MadeUpRun run) throws Exception {
        return data(PageRuns.page(run, true, folder));
    }

    @Test
    void everyAttemptIsThereWithWhatItsTimeWentTo() throws Exception {
        JsonNode run = data(PageRuns.parcels("scans of shippers"));
        JsonNode attempts = run.get("attempts");
        assertEquals(17, attempts.get("count").asInt());
        assertEquals(17, attempts.get("begin").size());
        int hot = IntStream.range(0, 17)
                .filter(i -> attempts.get("took").get(i).asInt() == 8_000)
                .findFirst()
                .orElseThrow();
        assertEquals(3, attempts.get("stage").get(hot).asInt());
        assertEquals("part 26", attempts.get("input").get(hot).asText());
        assertEquals(7_000, attempts.get("rows").get(hot).asInt());
        // Of eight seconds: code of the job 5.0, the join 1.9, parts 0.1; the rest is computing.
        assertEquals("[36,63,0,1,0,0,0]", shares(attempts, hot));
    }

    private static String shares(JsonNode attempts, int i) {
        StringBuilder of = new StringBuilder();
        for (int kind = 0; kind < 7; kind++) {
            of.append(kind == 0 ? "[" : ",").append(attempts.get("shares").get(7 * i + kind));
        }
        return of + "]";
    }

    @Test
    void whatFailedWasStoppedOrLostIsTold() throws Exception {
        JsonNode run = data(PageRuns.parcels("scans of shippers"));
        JsonNode states = run.get("attempts").get("state");
        assertEquals(
                1,
                IntStream.range(0, 17).filter(i -> states.get(i).asInt() == 1).count());
        assertEquals(
                1,
                IntStream.range(0, 17).filter(i -> states.get(i).asInt() == 2).count());
        assertEquals("w2", run.get("workers").get(1).get("name").asText());
        assertEquals(
                "not heard of for 3 s", run.get("workers").get(1).get("reason").asText());
        String log = run.get("log").toString();
        assertTrue(log.contains("task 2 of stage 3, attempt 1, failed: a parcel weighs <nothing>"), log);
        assertTrue(log.contains("\"w2\",\"error\",\"is lost: not heard of for 3 s\""), log);
        assertTrue(log.contains("\"warn\",\"shipper 'S17' has most of the scans\""), log);
        assertEquals(
                "[[\"parcels\",\"without weight\",12]]", run.get("counters").toString());
    }

    @Test
    void findingsPointToWhereTheyAreSeen() throws Exception {
        JsonNode run = data(PageRuns.parcels("scans of shippers"));
        JsonNode first = run.get("findings").get(0);
        assertEquals("hot-key", first.get("kind").asText());
        assertEquals(3, first.get("stage").asInt());
        assertEquals(4, first.get("task").asInt());
        assertEquals(8_000, first.get("to").asLong() - first.get("from").asLong());
    }

    @Test
    void onlySettingsThatDifferAreShown() throws Exception {
        JsonNode run = data(PageRuns.parcels("scans of shippers"));
        assertEquals(
                "[[\"join.copy-limit\",\"0\",\"32MB\"]]", run.get("settings").toString());
        assertEquals(2, run.get("settingsInAll").asInt());
    }

    @Test
    void aTextOfTheJobCannotEndTheElementThatItStandsIn() throws Exception {
        Path page = PageRuns.page(PageRuns.parcels("</script><b id=\"evil\">/*library*/$1\\"), true, folder);
        assertFalse(Files.readString(page).contains("<b id=\"evil\">"));
        assertEquals(
                "</script><b id=\"evil\">/*library*/$1\\",
                data(page).get("title").asText());
    }

    @Test
    void aRunThatGoesOnHasAPage() throws Exception {
        JsonNode run = data(PageRuns.page(PageRuns.parcels("scans of shippers"), false, folder));
        assertFalse(run.get("ended").asBoolean());
        assertTrue(run.get("millis").asLong() > 8_000);
    }

    @Test
    void attemptsThatFollowEachOtherAreTogetherWhereThereAreVeryMany() throws Exception {
        int tasks = PageAttempts.MOST + 10_000;
        JsonNode run = data(PageRuns.manyTasks(tasks));
        JsonNode attempts = run.get("attempts");
        int bars = attempts.get("of").size();
        assertEquals(tasks, attempts.get("count").asInt());
        assertTrue(bars < PageAttempts.MOST, bars + " bars");
        long together = 0;
        for (JsonNode of : attempts.get("of")) {
            together += of.asInt();
        }
        assertEquals(tasks, together);
        int slow = IntStream.range(0, bars)
                .filter(i -> attempts.get("task").get(i).asInt() == 500
                        && attempts.get("of").get(i).asInt() == 1)
                .findFirst()
                .orElseThrow();
        assertEquals(4_000, attempts.get("took").get(slow).asInt());
    }

    @ParameterizedTest
    @ValueSource(strings = {"version-1", "version-2"})
    void recordsOfEarlierVersionsHaveAPage(String version) throws Exception {
        Path record = Path.of(
                RunPageTest.class.getResource("/records/" + version + ".jsonl").toURI());
        Path page = folder.resolve("page.html");
        RunPage.of(record, Map.of()).write(page);
        assertTrue(data(page).get("stages").size() > 0);
    }

    @Test
    void whatIsNoRecordOrCannotBeWrittenIsRefused() throws Exception {
        Path other = Files.writeString(folder.resolve("other.jsonl"), "scans\nparcels\n");
        assertThrows(BadData.class, () -> RunPage.of(other, Map.of()));
        Path page = PageRuns.page(PageRuns.parcels("scans"), true, folder);
        RunPage made = RunPage.of(folder.resolve("r-7.jsonl"), Map.of());
        assertThrows(ResourceFailure.class, () -> made.write(page.resolve("below a file.html")));
    }
}
