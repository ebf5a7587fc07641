package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.time.InstantSource;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.Messages.PageLink;
import org.unimeros.cluster.wire.Messages.WorkerView;

/**
 * What browsers see of a coordinator: its workers and jobs, its runs and their pages. Where there is a cluster key, a browser gets in by typing it, or
 * by a link that somebody who has the key has made a short time ago; it then has a pass in a cookie, which opens nothing but pages. Thread-safe.
 */
final class PageDesk {

    private static final long LINK_MILLIS = TimeUnit.MINUTES.toMillis(10);
    private static final long PASS_SECONDS = TimeUnit.HOURS.toSeconds(12);
    private static final String PASS = "pass";

    private final RunPages pages;
    private final ClusterAccess access;
    private final InstantSource clock;
    private final Supplier<Cluster> cluster;

    /** What the list of runs shows beside them. */
    record Cluster(List<WorkerView> workers, List<JobView> jobs) {}

    /** @param pages null where none are shown */
    PageDesk(RunPages pages, ClusterAccess access, InstantSource clock, Supplier<Cluster> cluster) {
        this.pages = pages;
        this.access = access;
        this.clock = clock;
        this.cluster = cluster;
    }

    void routes(HttpService http) {
        http.on("POST", "/v1/pages", this::link);
        if (pages != null) {
            http.open("GET", "/", call -> page(call, ""));
            http.open("GET", "/run/{run}", call -> page(call, "run/" + call.path("run")));
            http.open("GET", "/runs", call -> show(call, "runs"));
            http.open("GET", "/run/{run}/data", call -> show(call, "run/" + call.path("run") + "/data"));
            http.open("GET", "/cluster", call -> {
                check(call);
                call.answer(cluster.get());
            });
        }
    }

    /** For who has the key: a pass for this browser, and a link that gives one to another. */
    private void link(Call call) throws IOException {
        if (pages == null) {
            throw new HttpProblem(404, "this coordinator shows no pages");
        }
        letIn(call);
        call.answer(
                new PageLink(access.hasKey() ? "/?" + PASS + "=" + access.pass(clock.millis() + LINK_MILLIS) : "/"));
    }

    private void letIn(Call call) {
        if (access.hasKey()) {
            long until = clock.millis() + TimeUnit.SECONDS.toMillis(PASS_SECONDS);
            call.setCookie(cookie(call), access.pass(until), PASS_SECONDS);
        }
    }

    /** Browsers take processes of one machine for one, whatever their ports are. */
    private static String cookie(Call call) {
        return "unimeros-pass-" + call.port();
    }

    private boolean isKnown(Call call) {
        return call.hasKey() || access.admits(call.cookie(cookie(call)), clock.millis());
    }

    private void check(Call call) {
        if (!isKnown(call)) {
            throw new HttpProblem(401, "this browser may not see pages, or not any more; open the page anew");
        }
    }

    /** What a person opens: whoever is not let in yet is asked for the key there, and comes back to it. */
    private void page(Call call, String path) throws IOException {
        String given = call.parameter(PASS);
        if (given != null && access.admits(given, clock.millis())) {
            letIn(call);
            call.redirect("/" + path);
        } else if (isKnown(call)) {
            show(call, path);
        } else {
            call.page(401, "text/html", resource());
        }
    }

    private void show(Call call, String path) throws IOException {
        check(call);
        RunPages.Shown shown = pages.show(path, call.query());
        call.page(shown.status(), shown.type(), shown.text());
    }

    private static String resource() throws IOException {
        try (InputStream in = PageDesk.class.getResourceAsStream("enter.html")) {
            return new String(in.readAllBytes(), StandardCharsets.UTF_8);
        }
    }
}
