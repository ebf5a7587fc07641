package org.unimeros.cluster.coordinator;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.mockito.InOrder;
import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.client.RemoteRunner;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.sql.SqlQuery;
import org.unimeros.storage.scratch.ScratchFolder;

/** Who gets to see the pages of a coordinator, and what whoever keeps its runs is told. */
class PageDeskTest {

    private static final ClusterAccess KEY = ClusterAccess.of("a key of this test only");
    private static final List<String> PAGES = List.of("/", "/runs", "/cluster", "/run/r-7", "/run/r-7/data");

    @TempDir
    Path folder;

    private final AtomicLong ahead = new AtomicLong();
    private final InstantSource clock = () -> Instant.now().plusMillis(ahead.get());
    private final RunPages pages = mock(RunPages.class);
    private final RunListener recorder = mock(RunListener.class);
    private final HttpClient browser =
            HttpClient.newBuilder().followRedirects(HttpClient.Redirect.NEVER).build();
    private Coordinator coordinator;
    private String url;

    @BeforeEach
    void start() {
        when(pages.show(anyString(), any())).thenReturn(new RunPages.Shown(200, "text/html", "a page"));
        when(pages.recorder(anyString(), anyBoolean())).thenReturn(recorder);
        start(KEY);
    }

    private void start(ClusterAccess access) {
        coordinator = new Coordinator(new Coordinator.Config(null, 0, access).withPages(pages), clock);
        url = coordinator.start();
    }

    @AfterEach
    void end() {
        coordinator.close();
    }

    private HttpResponse<String> get(String path, String... headers) throws Exception {
        HttpRequest.Builder request = HttpRequest.newBuilder(URI.create(url + path));
        if (headers.length > 0) {
            request.headers(headers);
        }
        return browser.send(request.build(), BodyHandlers.ofString());
    }

    private static String cookie(HttpResponse<String> answer) {
        return answer.headers().firstValue("Set-Cookie").orElseThrow();
    }

    private HttpResponse<String> enter(String key) throws Exception {
        return browser.send(
                HttpRequest.newBuilder(URI.create(url + "/v1/pages"))
                        .header("Authorization", "Bearer " + key)
                        .header("Content-Type", "application/json")
                        .POST(BodyPublishers.ofString("{}"))
                        .build(),
                BodyHandlers.ofString());
    }

    @Test
    void nothingIsShownToWhoDoesNotKnowTheKey() throws Exception {
        for (String page : PAGES) {
            HttpResponse<String> answer = get(page);
            assertEquals(401, answer.statusCode(), page);
            assertFalse(answer.body().contains("a page"), page);
        }
        for (String opened : List.of("/", "/run/r-7")) {
            assertTrue(get(opened).body().contains("This coordinator has a cluster key"), opened);
        }
        assertEquals(401, enter("another key of others").statusCode());
        verify(pages, never()).show(anyString(), any());
    }

    @Test
    void aLinkLetsABrowserInOnceItIsOpenedInTime() throws Exception {
        String link = new CoordinatorClient(url, KEY).pages();
        HttpResponse<String> opened = get(link.substring(url.length()));
        assertEquals(303, opened.statusCode());
        assertEquals("/", opened.headers().firstValue("Location").orElseThrow());
        assertTrue(cookie(opened).contains("HttpOnly") && cookie(opened).contains("SameSite=Strict"), cookie(opened));
        String onPage = link.substring(url.length()).replace("/?", "/run/r-7?");
        assertEquals("/run/r-7", get(onPage).headers().firstValue("Location").orElseThrow());
        String pass = cookie(opened).split(";")[0];
        for (String page : PAGES) {
            assertEquals(200, get(page, "Cookie", pass).statusCode(), page);
        }
        assertEquals(
                "no-store",
                get("/", "Cookie", pass).headers().firstValue("Cache-Control").orElseThrow());

        ahead.set(Duration.ofMinutes(11).toMillis());
        assertEquals(401, get(link.substring(url.length())).statusCode());
        assertEquals(200, get("/", "Cookie", pass).statusCode());
        ahead.set(Duration.ofHours(13).toMillis());
        assertEquals(401, get("/", "Cookie", pass).statusCode());
    }

    @Test
    void whoTypesTheKeyGetsInAndAPassOpensNothingElse() throws Exception {
        String pass = cookie(enter("a key of this test only")).split(";")[0];
        assertEquals(200, get("/runs", "Cookie", pass).statusCode());
        for (String path : List.of("/v1/runs", "/v1/workers", "/v1/jobs", "/metrics")) {
            assertEquals(401, get(path, "Cookie", pass).statusCode(), path);
        }
        String other = pass.substring(0, pass.length() - 1) + (pass.endsWith("0") ? "1" : "0");
        assertEquals(401, get("/runs", "Cookie", other).statusCode());
        assertEquals(401, get("/runs", "Cookie", pass.replace("=", "=f")).statusCode());
        assertEquals(401, get("/runs", "Cookie", pass.split("=")[0] + "=").statusCode());
    }

    @Test
    void withoutAKeyThisMachineSeesThePages() throws Exception {
        coordinator.close();
        start(ClusterAccess.NONE);
        for (String page : PAGES) {
            assertEquals(200, get(page).statusCode(), page);
        }
        assertEquals(url + "/", new CoordinatorClient(url, ClusterAccess.NONE).pages());
        assertEquals(403, get("/", "Origin", "http://parcels.example").statusCode());
    }

    @Test
    void workersAndJobsAreShownBesideTheRuns() throws Exception {
        String told = get("/cluster", "Authorization", KEY.header()).body();
        assertEquals("{\"workers\":[],\"jobs\":[]}", told);
    }

    @Test
    void whatHappensInARunIsToldInOrderAndItsEndOnce() {
        try (Worker worker =
                new Worker(new Worker.Config(url, null, null, 0, 1, 1, 64 << 20, folder.resolve("scratch"), KEY))) {
            worker.start();
            new RemoteRunner(
                            StagePlanner.forResult(
                                    SqlQuery.plan("select 1 as parcels", name -> null),
                                    new PlanSettings(1 << 20, 1 << 20, 4)),
                            new RunSettings(1, 3, 1 << 20, 1 << 28, BadRecordPolicy.FAIL, 0),
                            event -> {
                                // the client's own record is not what is tested
                            },
                            clock,
                            folder.resolve("bad.txt").toString(),
                            new ScratchFolder(folder.resolve("client")),
                            new ProcessSpace(64 << 20, 1),
                            url,
                            KEY,
                            60_000,
                            null,
                            new JobPack())
                    .run("r-7", "a test", Map.of("slots", "1"))
                    .workspace()
                    .close();
        }
        InOrder order = inOrder(recorder);
        order.verify(recorder).happened(any(RunEvent.RunStarted.class));
        order.verify(recorder).happened(any(RunEvent.Asked.class));
        order.verify(recorder).happened(any(RunEvent.AttemptFinished.class));
        order.verify(recorder).happened(any(RunEvent.RunEnded.class));
        order.verifyNoMoreInteractions();
        verify(pages).recorder("r-7", false);
    }
}
