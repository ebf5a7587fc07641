package org.unimeros.insight;

import com.fasterxml.jackson.core.JsonEncoding;
import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.nio.channels.Channels;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileAttribute;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.EnumSet;
import java.util.Locale;
import java.util.Map;
import java.util.function.Consumer;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PhysicalPlan;

/**
 * Writes the record of one run. A record that cannot be written is reported once and does not disturb the run. Used by
 * one thread.
 */
public final class RunRecordWriter implements RunListener, AutoCloseable {

    static final int VERSION = 1;

    private final Path path;
    private final Consumer<String> complain;
    private JsonGenerator out;
    private boolean broken;

    /**
     * @param path of the file, which is made with the first event
     * @param complain is told in one line when the record cannot be written
     */
    public RunRecordWriter(Path path, Consumer<String> complain) {
        this.path = path;
        this.complain = complain;
    }

    @Override
    public void happened(RunEvent event) {
        if (broken) {
            return;
        }
        try {
            open();
            out.writeStartObject();
            write(event);
            out.writeEndObject();
            out.writeRaw('\n');
            boolean rare = event instanceof RunEvent.RunStarted || event instanceof RunEvent.RunEnded;
            if (rare) {
                out.flush();
            }
        } catch (IOException e) {
            broken = true;
            complain.accept("the run record " + path + " cannot be written: " + e);
        }
    }

    private void open() throws IOException {
        if (out == null) {
            Files.createDirectories(path.toAbsolutePath().getParent());
            out = new JsonFactory()
                    .createGenerator(
                            new BufferedOutputStream(Channels.newOutputStream(Files.newByteChannel(
                                    path,
                                    EnumSet.of(
                                            StandardOpenOption.CREATE,
                                            StandardOpenOption.WRITE,
                                            StandardOpenOption.TRUNCATE_EXISTING),
                                    ownerOnly(path)))),
                            JsonEncoding.UTF8);
            out.setPrettyPrinter(new MinimalPrettyPrinter(""));
        }
    }

    /** A record tells of the rows of a job, which not everybody on the machine may see. */
    private static FileAttribute<?>[] ownerOnly(Path path) {
        boolean hasOwners = path.getFileSystem().supportedFileAttributeViews().contains("posix");
        return hasOwners
                ? new FileAttribute<?>[] {
                    PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------"))
                }
                : new FileAttribute<?>[0];
    }

    private void write(RunEvent event) throws IOException {
        switch (event) {
            case RunEvent.RunStarted e -> started(e);
            case RunEvent.StageStarted e -> {
                begin("stage-started", e.at());
                out.writeNumberField("stage", e.stage());
                out.writeNumberField("tasks", e.tasks());
            }
            case RunEvent.AttemptStarted e -> {
                begin("attempt-started", e.at());
                attempt(e.attempt(), e.slot());
                if (e.worker() != null) {
                    out.writeStringField("worker", e.worker());
                }
                out.writeStringField("input", e.input());
            }
            case RunEvent.AttemptFinished e -> {
                begin("attempt-finished", e.at());
                attempt(e.attempt(), e.slot());
                out.writeNumberField("rows", e.rows());
                steps(e.steps());
            }
            case RunEvent.AttemptFailed e -> {
                begin("attempt-failed", e.at());
                attempt(e.attempt(), e.slot());
                out.writeStringField("reason", e.reason());
            }
            case RunEvent.AttemptStopped e -> {
                begin("attempt-stopped", e.at());
                attempt(e.attempt(), e.slot());
            }
            case RunEvent.StageFinished e -> {
                begin("stage-finished", e.at());
                out.writeNumberField("stage", e.stage());
            }
            case RunEvent.StageReopened e -> {
                begin("stage-reopened", e.at());
                out.writeNumberField("stage", e.stage());
            }
            case RunEvent.WorkerJoined e -> {
                begin("worker-joined", e.at());
                out.writeStringField("worker", e.worker());
                out.writeNumberField("slots", e.slots());
            }
            case RunEvent.WorkerLost e -> {
                begin("worker-lost", e.at());
                out.writeStringField("worker", e.worker());
                out.writeStringField("reason", e.reason());
            }
            case RunEvent.Warning e -> {
                begin("warning", e.at());
                out.writeStringField("message", e.message());
            }
            case RunEvent.Printed e -> {
                begin("printed", e.at());
                out.writeStringField("attempt", e.attempt().toString());
                out.writeStringField("worker", e.worker());
                out.writeArrayFieldStart("lines");
                for (String line : e.lines()) {
                    out.writeString(line);
                }
                out.writeEndArray();
            }
            case RunEvent.RecordsSkipped e -> skipped(e);
            case RunEvent.Counted e -> counted(e);
            case RunEvent.RunEnded e -> ended(e);
        }
    }

    private void begin(String name, long at) throws IOException {
        out.writeStringField("event", name);
        out.writeNumberField("at", at);
    }

    private void started(RunEvent.RunStarted e) throws IOException {
        begin("run-started", e.at());
        out.writeNumberField("version", VERSION);
        out.writeStringField("run", e.runId());
        out.writeStringField("title", e.title());
        out.writeObjectFieldStart("settings");
        for (Map.Entry<String, String> setting : e.settings().entrySet()) {
            out.writeStringField(setting.getKey(), setting.getValue());
        }
        out.writeEndObject();
        out.writeArrayFieldStart("plan");
        for (PhysicalPlan.Line line : e.plan().lines()) {
            out.writeStartObject();
            out.writeStringField("text", line.text());
            out.writeStringField("role", line.role().name().toLowerCase(Locale.ROOT));
            out.writeNumberField("id", line.id());
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private void attempt(AttemptId attempt, int slot) throws IOException {
        out.writeNumberField("stage", attempt.stage());
        out.writeNumberField("task", attempt.task());
        out.writeNumberField("attempt", attempt.attempt());
        out.writeNumberField("slot", slot);
    }

    private void steps(Map<Integer, StepMetrics> steps) throws IOException {
        out.writeObjectFieldStart("steps");
        for (Map.Entry<Integer, StepMetrics> step : steps.entrySet()) {
            StepMetrics m = step.getValue();
            out.writeFieldName(step.getKey().toString());
            out.writeArray(new long[] {m.rows(), m.bytes(), m.nanos(), m.spilled()}, 0, 4);
        }
        out.writeEndObject();
    }

    private void skipped(RunEvent.RecordsSkipped e) throws IOException {
        begin("records-skipped", e.at());
        out.writeNumberField("count", e.count());
        out.writeArrayFieldStart("examples");
        for (String example : e.examples()) {
            out.writeString(example);
        }
        out.writeEndArray();
        if (e.keptIn() != null) {
            out.writeStringField("kept-in", e.keptIn());
        }
    }

    private void counted(RunEvent.Counted e) throws IOException {
        begin("counted", e.at());
        out.writeObjectFieldStart("counters");
        for (Map.Entry<String, Map<String, Long>> group : e.counters().entrySet()) {
            out.writeObjectFieldStart(group.getKey());
            for (Map.Entry<String, Long> counter : group.getValue().entrySet()) {
                out.writeNumberField(counter.getKey(), counter.getValue());
            }
            out.writeEndObject();
        }
        out.writeEndObject();
    }

    private void ended(RunEvent.RunEnded e) throws IOException {
        begin("run-ended", e.at());
        out.writeStringField("state", e.state());
        if (e.reason() != null) {
            out.writeStringField("reason", e.reason());
        }
        out.writeNumberField("rows", e.rows());
        out.writeNumberField("bytes", e.bytes());
        out.writeNumberField("files", e.files());
    }

    @Override
    public void close() {
        if (out != null) {
            try {
                out.close();
            } catch (IOException e) {
                complain.accept("the run record " + path + " cannot be completed: " + e);
            }
        }
    }
}
