package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.util.Map;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.insight.diagnosis.Diagnosis;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.RunHistory;

/** A run as the scripts of the page take it. Times are milliseconds since its start. */
final class PageData {

    private static final JsonFactory JSON = new JsonFactory();

    private final RunHistory history;
    private final PageLog log;
    private final Map<String, String> defaults;
    private final boolean isGone;

    /** @param isGone whether nobody writes the record any more */
    PageData(RunHistory history, PageLog log, Map<String, String> defaults, boolean isGone) {
        this.isGone = isGone && !history.progress().isEnded();
        this.history = history;
        this.log = log;
        this.defaults = defaults;
    }

    /**
     * @param seen what the page says when it asks whether there is more
     */
    String json(long seen) {
        StringWriter text = new StringWriter();
        try (JsonGenerator out = JSON.createGenerator(text)) {
            write(out, seen);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
        return text.toString();
    }

    private void write(JsonGenerator out, long seen) throws IOException {
        RunProgress p = history.progress();
        Diagnosis diagnosis = Diagnosis.of(history);
        long start = history.start();
        out.writeStartObject();
        out.writeNumberField("seen", seen);
        out.writeStringField("run", p.run());
        out.writeStringField("title", p.title());
        out.writeStringField("asked", p.asked());
        out.writeStringField("state", p.state());
        if (p.reason() != null) {
            out.writeStringField("reason", p.reason());
        }
        out.writeBooleanField("ended", p.isEnded());
        out.writeBooleanField("gone", isGone);
        out.writeNumberField("start", start);
        out.writeNumberField("millis", history.millis());
        out.writeNumberField("rows", p.rows());
        out.writeNumberField("bytes", p.bytes());
        out.writeNumberField("files", p.files());
        out.writeNumberField("slots", history.slots());
        out.writeNumberField("inUse", diagnosis.slotsInUse());
        out.writeStringField("verdict", diagnosis.verdict());
        out.writeStringField("bound", diagnosis.bound());
        out.writeStringField("text", diagnosis.print());
        out.writeArrayFieldStart("kinds");
        for (String kind : TimeUse.KINDS) {
            out.writeString(kind);
        }
        out.writeEndArray();
        findings(out, diagnosis, start);
        workers(out, start);
        new PageStages(history).write(out, start);
        new PageAttempts(history, diagnosis.findings()).write(out, start);
        settings(out);
        counters(out, p);
        log.write(out, start);
        out.writeEndObject();
    }

    private static void findings(JsonGenerator out, Diagnosis diagnosis, long start) throws IOException {
        out.writeArrayFieldStart("findings");
        for (Finding f : diagnosis.findings()) {
            Finding.Place place = f.place();
            out.writeStartObject();
            out.writeStringField("kind", f.kind());
            out.writeStringField("what", f.what());
            out.writeStringField("evidence", f.evidence());
            out.writeStringField("cause", f.cause());
            out.writeStringField("change", f.change());
            out.writeNumberField("gain", f.gainMillis());
            out.writeStringField("sureness", f.sureness().toString());
            out.writeNumberField("stage", place.stage());
            out.writeNumberField("task", place.task());
            if (place.worker() != null) {
                out.writeStringField("worker", place.worker());
            }
            if (place.from() >= 0) {
                out.writeNumberField("from", place.from() - start);
                out.writeNumberField("to", place.to() - start);
            }
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private void workers(JsonGenerator out, long start) throws IOException {
        out.writeArrayFieldStart("workers");
        for (RunHistory.Worker worker : history.workers()) {
            out.writeStartObject();
            out.writeStringField("name", worker.name());
            out.writeNumberField("slots", worker.slots());
            out.writeNumberField("joined", worker.joined() - start);
            if (worker.lost() >= 0) {
                out.writeNumberField("lost", worker.lost() - start);
                out.writeStringField("reason", worker.reason());
            }
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    /** Those that differ from the defaults. */
    private void settings(JsonGenerator out) throws IOException {
        out.writeArrayFieldStart("settings");
        for (Map.Entry<String, String> setting : history.settings().entrySet()) {
            String other = defaults.get(setting.getKey());
            if (!setting.getValue().equals(other)) {
                out.writeStartArray();
                out.writeString(setting.getKey());
                out.writeString(setting.getValue());
                out.writeString(other == null ? "" : other);
                out.writeEndArray();
            }
        }
        out.writeEndArray();
        out.writeNumberField("settingsInAll", history.settings().size());
    }

    private static void counters(JsonGenerator out, RunProgress progress) throws IOException {
        out.writeArrayFieldStart("counters");
        for (Map.Entry<String, Map<String, Long>> group : progress.counters().entrySet()) {
            for (Map.Entry<String, Long> counter : group.getValue().entrySet()) {
                out.writeStartArray();
                out.writeString(group.getKey());
                out.writeString(counter.getKey());
                out.writeNumber(counter.getValue());
                out.writeEndArray();
            }
        }
        out.writeEndArray();
    }
}
