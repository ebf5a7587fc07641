package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import org.unimeros.insight.WholeFile;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.PlanDifference;
import org.unimeros.insight.diagnosis.RunComparison;
import org.unimeros.insight.diagnosis.RunHistory;

/** Two runs side by side as a page: one HTML file that needs no network. */
public final class ComparisonPage {

    private static final JsonFactory JSON = new JsonFactory();

    /** Over so many pieces of time it is told how many slots were in use. */
    private static final int PIECES = 240;

    private final String html;

    private ComparisonPage(String html) {
        this.html = html;
    }

    /** The page of two runs and what is said of them. */
    public static ComparisonPage of(RunHistory first, RunHistory second, RunComparison comparison) {
        StringWriter text = new StringWriter();
        try (JsonGenerator out = JSON.createGenerator(text)) {
            write(first, second, comparison, out);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
        return new ComparisonPage(RunPage.assembled("compare.html", text.toString(), List.of("compare.js")));
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

    private static void write(RunHistory first, RunHistory second, RunComparison c, JsonGenerator out)
            throws IOException {
        out.writeStartObject();
        out.writeStringField("verdict", c.verdict());
        long longest = Math.max(1, Math.max(first.millis(), second.millis()));
        out.writeNumberField("longest", longest);
        out.writeArrayFieldStart("runs");
        for (RunHistory run : List.of(first, second)) {
            out.writeStartObject();
            out.writeStringField("run", run.progress().run());
            out.writeStringField("title", run.progress().title());
            out.writeNumberField("start", run.start());
            out.writeNumberField("millis", run.millis());
            out.writeNumberField("slots", run.slots());
            out.writeArrayFieldStart("use");
            for (double busy : use(run, longest)) {
                out.writeNumber(Math.round(busy * 100) / 100.0);
            }
            out.writeEndArray();
            out.writeEndObject();
        }
        out.writeEndArray();
        stages(c.stages(), out);
        lines("figures", c.lines(), out);
        lines("settings", c.settings(), out);
        findings("gone", c.gone(), out);
        findings("added", c.added(), out);
        out.writeArrayFieldStart("plan");
        for (PlanDifference.Line line : c.plan().lines()) {
            out.writeStartArray();
            out.writeString(line.of().toString());
            out.writeString(line.text());
            out.writeEndArray();
        }
        out.writeEndArray();
        out.writeEndObject();
    }

    /** Slots in use in each piece of the time of the longer run. */
    private static double[] use(RunHistory run, long longest) {
        double[] busy = new double[PIECES];
        double piece = (double) longest / PIECES;
        run.stages().stream().flatMap(stage -> stage.ran().stream()).forEach(ran -> {
            double begin = ran.span().begin() - run.start();
            double end = ran.span().end() - run.start();
            int last = Math.min(PIECES - 1, (int) (end / piece));
            for (int i = Math.max(0, (int) (begin / piece)); i <= last; i++) {
                busy[i] += Math.max(0, Math.min(end, (i + 1) * piece) - Math.max(begin, i * piece)) / piece;
            }
        });
        return busy;
    }

    private static void stages(List<RunComparison.StagePair> pairs, JsonGenerator out) throws IOException {
        out.writeArrayFieldStart("stages");
        for (RunComparison.StagePair pair : pairs) {
            out.writeStartObject();
            out.writeStringField("does", pair.does());
            out.writeFieldName("first");
            span(pair.first(), out);
            out.writeFieldName("second");
            span(pair.second(), out);
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private static void span(RunComparison.StageSpan span, JsonGenerator out) throws IOException {
        if (span == null) {
            out.writeNull();
            return;
        }
        out.writeStartObject();
        out.writeNumberField("begin", span.begin());
        out.writeNumberField("end", span.end());
        out.writeNumberField("tasks", span.tasks());
        out.writeNumberField("longest", span.longest());
        out.writeEndObject();
    }

    private static void lines(String name, List<RunComparison.Line> lines, JsonGenerator out) throws IOException {
        out.writeArrayFieldStart(name);
        for (RunComparison.Line line : lines) {
            out.writeStartArray();
            out.writeString(line.what());
            out.writeString(line.first());
            out.writeString(line.second());
            out.writeEndArray();
        }
        out.writeEndArray();
    }

    private static void findings(String name, List<Finding> findings, JsonGenerator out) throws IOException {
        out.writeArrayFieldStart(name);
        for (Finding f : findings) {
            out.writeStartObject();
            out.writeStringField("what", f.what());
            out.writeStringField("cause", f.cause());
            out.writeStringField("change", f.change());
            out.writeNumberField("gain", f.gainMillis());
            out.writeEndObject();
        }
        out.writeEndArray();
    }
}
