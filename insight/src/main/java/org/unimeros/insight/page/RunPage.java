package org.unimeros.insight.page;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.WholeFile;
import org.unimeros.insight.diagnosis.RunHistory;

/** The page of a run, made from its record. */
public final class RunPage {

    /** Scales, zoom and numbers on axes. */
    private static final String LIBRARY = "/META-INF/resources/webjars/d3/7.9.0/dist/d3.min.js";

    /** In this order, since the later ones use the earlier ones. */
    private static final List<String> SCRIPTS = List.of(
            "base.js",
            "window.js",
            "outline.js",
            "findings.js",
            "timeline.js",
            "stages.js",
            "plan.js",
            "parts.js",
            "workers.js",
            "tables.js",
            "start.js");

    private final String html;

    private RunPage(String html) {
        this.html = html;
    }

    /**
     * The page of the run that a record is of; where it ends early, of what is known of it.
     *
     * @param defaults of settings; the page shows those that differ
     * @throws org.unimeros.engine.error.UserMistake when there is no such record
     * @throws org.unimeros.engine.error.BadData when it is none
     */
    public static RunPage of(Path record, Map<String, String> defaults) {
        RunHistory history = new RunHistory();
        PageLog log = new PageLog();
        RunRecord.replay(record, event -> {
            history.happened(event);
            log.happened(event);
        });
        boolean isWritten = RunFolder.isWritten(record);
        if (isWritten) {
            history.goesOnUntil(System.currentTimeMillis());
        }
        return new RunPage(page(new PageData(history, log, defaults, !isWritten).json(0)));
    }

    private static String page(String data) {
        return assembled("page.html", data, SCRIPTS);
    }

    /** A page of its pieces in the resources. */
    static String assembled(String page, String data, List<String> scripts) {
        return resource(page)
                .replace("/*style*/", resource("page.css"))
                .replace("/*library*/", resource(LIBRARY))
                .replace("/*scripts*/", scripts.stream().map(RunPage::resource).collect(Collectors.joining("\n")))
                // A text of the job cannot end the element that it stands in.
                .replace("/*data*/", data.replace("<", "\\u003c"));
    }

    /** The page of a run, which asks for the data of that run again and again while the run goes on. */
    static String live(String data, String run) {
        return page(data).replaceFirst("<body>", "<body data-live=\"" + run + "/data\">");
    }

    /**
     * The list of runs, which asks for them itself.
     *
     * @param hasCluster whether it asks for workers and jobs as well
     */
    static String list(boolean hasCluster) {
        return resource("list.html")
                .replace("<body>", hasCluster ? "<body data-cluster>" : "<body>")
                .replace("/*style*/", resource("page.css"))
                .replace("/*library*/", resource(LIBRARY))
                .replace("/*scripts*/", resource("list.js"));
    }

    private static String resource(String name) {
        try (InputStream in = RunPage.class.getResourceAsStream(name)) {
            return new String(in.readAllBytes(), StandardCharsets.UTF_8);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** All of it. */
    public String html() {
        return html;
    }

    /**
     * Writes it, over what is there.
     *
     * @throws org.unimeros.engine.error.ResourceFailure when that is not possible
     */
    public void write(Path file) {
        WholeFile.writeForOwner(file, html.getBytes(StandardCharsets.UTF_8));
    }
}
