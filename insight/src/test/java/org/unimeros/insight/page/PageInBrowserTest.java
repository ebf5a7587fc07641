package org.unimeros.insight.page;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.sun.net.httpserver.HttpServer;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Assumptions;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.diagnosis.RunComparison;
import org.unimeros.insight.diagnosis.RunHistory;

/** The page of a run in a real browser, used as a person uses it. */
class PageInBrowserTest {

    private static final String TITLE = "scans of </script><b id=\"evil\">shippers</b>";

    @TempDir
    static Path folder;

    private static Browser browser;
    private static Path page;

    @BeforeAll
    static void start() throws Exception {
        Optional<Path> installed = Browser.installed();
        // Where tests run for others a browser is a must; elsewhere they do without.
        if (!"true".equals(System.getenv("CI"))) {
            Assumptions.assumeTrue(installed.isPresent(), "no chromium on the PATH");
        }
        browser = new Browser(installed.orElseThrow());
        page = PageRuns.page(PageRuns.parcels(TITLE), true, folder);
    }

    @AfterAll
    static void stop() throws Exception {
        if (browser != null) {
            browser.close();
        }
    }

    @BeforeEach
    void open() throws Exception {
        browser.open(page, "#light");
    }

    @AfterEach
    void nothingWentWrong() {
        assertEquals(List.of(), browser.problems());
    }

    @Test
    void theVerdictSaysWhatWasWrongAndWhy() throws Exception {
        String sentence = browser.text("#sentence");
        assertTrue(sentence.contains("because one of 6 tasks of stage 3 took 8.0 s"), sentence);
        assertTrue(sentence.contains("key 'S17' has 6,900 rows of 8,000"), sentence);
        assertTrue(browser.text("#findings").contains("divide by one more column"), browser.text("#findings"));
        assertTrue(browser.text("#workers").contains("not heard of for 3 s"));
        assertTrue(browser.text("#partlist").contains("'S17'"));
    }

    @Test
    void theListOfAClusterShowsItsWorkersAndJobs() throws Exception {
        Path records = Files.createDirectories(folder.resolve("cluster"));
        PageRuns.record(PageRuns.healthy(), true, records.resolve("r-7.jsonl"));
        PageSite site = new PageSite(new RunFolder(records), Map.of(), true);
        String cluster = """
                {"workers": [{"worker": "w1", "state": "ready", "slots": 4, "running": 3, "host": "sorter", "pid": 7, "joinedAt": 1,
                              "url": "http://sorter:7421"}],
                 "jobs": [{"id": "job-1", "name": "<b id='evil'>totals</b>", "state": "FAILED", "place": "w1", "runs": ["r-7"],
                           "message": "exit code 3", "startedAt": 1000, "endedAt": 4000}]}
                """;
        HttpServer server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
        server.createContext("/", call -> {
            String what = call.getRequestURI().getPath().substring(1);
            PageSite.Answer answer = what.equals("cluster")
                    ? new PageSite.Answer(200, "application/json", cluster)
                    : site.get(what, call.getRequestURI().getQuery());
            byte[] body = answer.text().getBytes(StandardCharsets.UTF_8);
            call.getResponseHeaders().set("Content-Type", answer.type() + "; charset=utf-8");
            call.sendResponseHeaders(answer.status(), body.length == 0 ? -1 : body.length);
            call.getResponseBody().write(body);
            call.close();
        });
        server.start();
        try {
            browser.open("http://127.0.0.1:" + server.getAddress().getPort() + "/");
            browser.await("document.querySelectorAll('#jobs tbody tr').length === 1");
            assertEquals("1 worker, 3 of 4 slots in use", browser.text("#capacity"));
            String jobs = browser.text("#jobs");
            assertTrue(
                    jobs.contains("failed") && jobs.contains("3.0 s") && jobs.contains("totals</b>: exit code 3"),
                    jobs);
            assertTrue(browser.text("#workers").contains("sorter, process 7"), browser.text("#workers"));
            assertEquals("0", browser.eval("document.querySelectorAll('#evil').length"));
        } finally {
            server.stop(0);
        }
    }

    @Test
    void twoRunsStandSideBySide() throws Exception {
        RunHistory sick = PageRuns.parcels(TITLE).history(true);
        RunHistory healthy = PageRuns.healthy().history(true);
        Path file = folder.resolve("compared.html");
        ComparisonPage.of(sick, healthy, RunComparison.of(sick, healthy)).write(file);
        for (String theme : List.of("#light", "#dark")) {
            browser.open(file, theme);
            assertTrue(browser.text("#sentence").contains("the second run took"), browser.text("#sentence"));
            assertTrue(browser.text("#findingtable").contains("gone"), browser.text("#findingtable"));
            assertNotEquals("0", browser.eval("document.querySelectorAll('#plantable td.differs').length"));
            assertEquals("2", browser.eval("document.querySelectorAll('#use path').length"));
            assertEquals("0", browser.eval("document.querySelectorAll('#evil').length"));
        }
        assertTrue(browser.text("#runs").contains(TITLE), browser.text("#runs"));
    }

    @Test
    void textsOfTheJobAreNoMarkup() throws Exception {
        assertEquals(TITLE, browser.text("#name"));
        assertEquals("0", browser.eval("document.querySelectorAll('#evil').length"));
    }

    @Test
    void theWheelZoomsOnlyOnceTheTimelineWasClicked() throws Exception {
        String all = browser.text("#lanes");
        browser.wheel("#lanes", 400, 70, -240);
        assertEquals(all, browser.text("#lanes"));
        browser.click("#lanes", 400, 70);
        browser.wheel("#lanes", 400, 70, -240);
        browser.frame();
        String near = browser.text("#lanes");
        assertNotEquals(all, near);
        browser.key("0");
        assertEquals(all, browser.text("#lanes"));
    }

    @Test
    void keysMoveFromMarkToMark() throws Exception {
        browser.click("#lanes", 400, 70);
        String all = browser.text("#lanes");
        browser.key("n");
        String first = browser.text("#lanes");
        assertNotEquals(all, first);
        browser.key("n");
        assertNotEquals(first, browser.text("#lanes"));
        browser.key("ArrowLeft");
        browser.key("+");
        browser.key("Escape");
        assertEquals("body", browser.eval("document.activeElement.tagName.toLowerCase()"));
    }

    @Test
    void pointingAtAnAttemptTellsAllOfItAndAClickKeepsItAsText() throws Exception {
        // The long task has the last two thirds of the first slot.
        double lane = Double.parseDouble(browser.eval(
                "[...document.querySelectorAll('#lanes .label')].find(l => l.innerText === 'w1').offsetTop"));
        browser.point("#lanes", 900, lane + 5);
        String tip = browser.text("#tip");
        assertTrue(tip.contains("task 4 of stage 3"), tip);
        assertTrue(tip.contains("code of the job\t5.0 s (63 %)"), tip);
        browser.click("#lanes", 900, lane + 5);
        assertTrue(browser.text("#read").contains("input part 26"), browser.text("#read"));
    }

    @Test
    void tablesSortAndStagesOpen() throws Exception {
        assertEquals("1", browser.text("#stagetable tbody tr td b"));
        browser.eval(
                "[...document.querySelectorAll('#stagetable th button')].find(b => b.innerText === 'longest').click()");
        assertEquals("3", browser.text("#stagetable tbody tr td b"));
        assertEquals(
                "descending",
                browser.eval("document.querySelector('#stagetable th[aria-sort]').getAttribute('aria-sort')"));
        assertEquals("true", browser.eval("String(document.querySelector('#stage-3 + tr').hidden)"));
        browser.click("#stage-3", 200, 10);
        String tasks = browser.text("#stage-3 + tr");
        assertTrue(tasks.contains("part 26"), tasks);
        assertTrue(tasks.contains("failed"), tasks);
        assertTrue(tasks.contains("Time follows rows"), tasks);
    }

    @Test
    void evidenceLeadsToTheTimelineAndTheStage() throws Exception {
        String all = browser.text("#lanes");
        browser.eval("[...document.querySelectorAll('#finding-1 a')].find(a => a.innerText === 'timeline').click()");
        browser.frame();
        assertNotEquals(all, browser.text("#lanes"));
        browser.eval("[...document.querySelectorAll('#finding-0 a')].find(a => a.innerText === 'stage 3').click()");
        assertEquals("false", browser.eval("String(document.querySelector('#stage-3 + tr').hidden)"));
    }

    @Test
    void theLogIsFiltered() throws Exception {
        assertTrue(browser.text("#logtable").contains("stage 2 is done"));
        browser.eval("(() => { const f = document.getElementById('filter'); f.value = 'WEIGHS'; f.oninput(); })()");
        assertEquals(1, browser.text("#logtable").lines().count(), browser.text("#logtable"));
        assertTrue(browser.text("#logtable").contains("a parcel weighs <nothing>"));
    }

    @Test
    void bothThemesAndPrintAreDrawn() throws Exception {
        String light = browser.eval("getComputedStyle(document.body).backgroundColor");
        browser.eval("document.querySelector('button[data-theme=dark]').click()");
        assertNotEquals(light, browser.eval("getComputedStyle(document.body).backgroundColor"));
        browser.eval("window.dispatchEvent(new Event('beforeprint'))");
        assertEquals(light, browser.eval("getComputedStyle(document.body).backgroundColor"));
        browser.eval("window.dispatchEvent(new Event('afterprint'))");
        assertNotEquals(light, browser.eval("getComputedStyle(document.body).backgroundColor"));
    }

    @Test
    void nothingIsFetched() throws Exception {
        assertEquals(
                "0",
                browser.eval(
                        "performance.getEntriesByType('resource').filter(r => !r.name.startsWith('data:')).length"));
        assertFalse(browser.eval("document.documentElement.outerHTML")
                .matches("(?s).*<(script|link|img)[^>]+(src|href)=.http.*"));
    }

    @Test
    void aPageFollowsItsRunAndTheListShowsIt(@TempDir Path records) throws Exception {
        Path record = records.resolve("r-7.jsonl");
        PageRuns.record(PageRuns.parcels("scans of shippers"), true, records.resolve("whole"));
        List<String> lines = Files.readAllLines(records.resolve("whole"));
        Files.writeString(record, String.join("\n", lines.subList(0, 19)) + "\n");
        PageRuns.leave(record);
        try (PageServer server = new PageServer(new RunFolder(records), Map.of(), 0)) {
            browser.open(server.url());
            browser.await("document.querySelector('#runs tr') !== null");
            assertTrue(browser.text("#runs").contains("gone"), browser.text("#runs"));
            Files.writeString(records.resolve("r-8.jsonl"), lines.get(0) + "\n");
            PageRuns.leave(records.resolve("r-8.jsonl"));
            browser.open(server.url("r-8"));
            assertTrue(browser.text("#graph").contains("3 join, code of the job"), "before the first task");
            browser.open(server.url("r-7"));
            assertTrue(browser.text("#sentence").contains("is gone, after at least"), browser.text("#sentence"));
            browser.eval(
                    "[...document.querySelectorAll('#stagetable th button')].find(b => b.innerText === 'tasks').click()");
            browser.eval("document.querySelector('#stage-1').click()");
            Files.writeString(
                    record, String.join("\n", lines.subList(19, lines.size())) + "\n", StandardOpenOption.APPEND);
            browser.await("document.getElementById('sentence').innerText.startsWith('It took 8.8 s')");
            assertEquals("true", browser.eval("String(document.getElementById('live').hidden)"));
            assertEquals("false", browser.eval("String(document.querySelector('#stage-1 + tr').hidden)"));
            assertEquals("1", browser.text("#stagetable tbody tr td b"), "most tasks first, as it was sorted");
            browser.open(server.url());
            browser.await("document.getElementById('runs').innerText.includes('8.8 s')");
            assertTrue(browser.text("#runs").contains("one of 6 tasks of stage 3 took 8.0 s"), browser.text("#runs"));
            browser.eval("document.querySelector('#runs a[href=\\'run/r-7\\']').click()");
            browser.await("document.getElementById('sentence') !== null");
        }
    }

    @Test
    void aHealthyRunAndOneThatGoesOnAreDrawn(@TempDir Path other) throws Exception {
        browser.open(PageRuns.page(PageRuns.parcels("going on"), false, other), "#dark");
        assertTrue(browser.text("#sentence").contains("is gone, after at least"), browser.text("#sentence"));
        browser.open(PageRuns.page(PageRuns.healthy(), true, other), "#dark");
        assertTrue(browser.text("#sentence").endsWith("Nothing stands out."), browser.text("#sentence"));
        assertEquals("true", browser.eval("String(document.getElementById('findings').hidden)"));
    }
}
