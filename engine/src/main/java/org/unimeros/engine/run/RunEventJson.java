package org.unimeros.engine.run;

import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;

/**
 * The form of run events as JSON, between processes and in records: an object with the name of the event, its time, and what it says. Fields that
 * are not known are passed over, and so are events of later versions.
 *
 * <p>Version 3 of a record says what attempts took, and what is in parts. Since version 2 it has the plan by stages; version 1 had it as the lines that are printed, from which
 * it is read as well.
 */
public final class RunEventJson {

    /** What is written. */
    public static final int VERSION = 3;

    private static final long MICRO = 1_000;

    private RunEventJson() {}

    /** Writes an event as an object. */
    public static void write(RunEvent event, JsonGenerator out) throws IOException {
        out.writeStartObject();
        switch (event) {
            case RunEvent.RunStarted e -> started(e, out);
            case RunEvent.Asked e -> text("asked", e.at(), "line", e.line(), out);
            case RunEvent.StageStarted e -> {
                stage("stage-started", e.at(), e.stage(), out);
                out.writeNumberField("tasks", e.tasks());
                if (!e.decisions().isEmpty()) {
                    texts("decisions", e.decisions(), out);
                }
            }
            case RunEvent.AttemptStarted e -> {
                attempt("attempt-started", e.at(), e.attempt(), e.slot(), out);
                optional("worker", e.worker(), out);
                out.writeStringField("input", e.input());
            }
            case RunEvent.AttemptFinished e -> {
                attempt("attempt-finished", e.at(), e.attempt(), e.slot(), out);
                out.writeNumberField("rows", e.rows());
                steps(e.steps(), out);
                use(e.use(), out);
            }
            case RunEvent.AttemptFailed e -> {
                attempt("attempt-failed", e.at(), e.attempt(), e.slot(), out);
                out.writeStringField("reason", e.reason());
            }
            case RunEvent.AttemptStopped e -> attempt("attempt-stopped", e.at(), e.attempt(), e.slot(), out);
            case RunEvent.PartsMade e -> parts(e, out);
            case RunEvent.StageFinished e -> stage("stage-finished", e.at(), e.stage(), out);
            case RunEvent.StageReopened e -> stage("stage-reopened", e.at(), e.stage(), out);
            case RunEvent.WorkerJoined e -> {
                begin("worker-joined", e.at(), out);
                out.writeStringField("worker", e.worker());
                out.writeNumberField("slots", e.slots());
            }
            case RunEvent.WorkerLost e -> {
                begin("worker-lost", e.at(), out);
                out.writeStringField("worker", e.worker());
                out.writeStringField("reason", e.reason());
            }
            case RunEvent.Warning e -> text("warning", e.at(), "message", e.message(), out);
            case RunEvent.Printed e -> {
                begin("printed", e.at(), out);
                attempt(e.attempt(), out);
                optional("worker", e.worker(), out);
                texts("lines", e.lines(), out);
            }
            case RunEvent.RecordsSkipped e -> {
                begin("records-skipped", e.at(), out);
                out.writeNumberField("count", e.count());
                texts("examples", e.examples(), out);
                optional("kept-in", e.keptIn(), out);
            }
            case RunEvent.Counted e -> counted(e, out);
            case RunEvent.RunEnded e -> ended(e, out);
        }
        out.writeEndObject();
    }

    private static void begin(String name, long at, JsonGenerator out) throws IOException {
        out.writeStringField("event", name);
        out.writeNumberField("at", at);
    }

    private static void text(String event, long at, String name, String value, JsonGenerator out) throws IOException {
        begin(event, at, out);
        out.writeStringField(name, value);
    }

    private static void optional(String name, String value, JsonGenerator out) throws IOException {
        if (value != null) {
            out.writeStringField(name, value);
        }
    }

    private static void texts(String name, List<String> texts, JsonGenerator out) throws IOException {
        out.writeArrayFieldStart(name);
        for (String text : texts) {
            out.writeString(text);
        }
        out.writeEndArray();
    }

    private static void stage(String name, long at, int stage, JsonGenerator out) throws IOException {
        begin(name, at, out);
        out.writeNumberField("stage", stage);
    }

    private static void attempt(String name, long at, AttemptId attempt, int slot, JsonGenerator out)
            throws IOException {
        begin(name, at, out);
        attempt(attempt, out);
        out.writeNumberField("slot", slot);
    }

    private static void attempt(AttemptId attempt, JsonGenerator out) throws IOException {
        out.writeNumberField("stage", attempt.stage());
        out.writeNumberField("task", attempt.task());
        out.writeNumberField("attempt", attempt.attempt());
    }

    private static void steps(Map<Integer, StepMetrics> steps, JsonGenerator out) throws IOException {
        out.writeObjectFieldStart("steps");
        for (Map.Entry<Integer, StepMetrics> step : steps.entrySet()) {
            StepMetrics m = step.getValue();
            out.writeFieldName(step.getKey().toString());
            long[] figures = {m.rows(), m.bytes(), m.nanos(), m.spilled(), m.spillNanos()};
            // Most steps spill nothing.
            out.writeArray(figures, 0, m.spilled() == 0 ? 3 : 5);
        }
        out.writeEndObject();
    }

    private static void parts(RunEvent.PartsMade e, JsonGenerator out) throws IOException {
        stage("parts-made", e.at(), e.stage(), out);
        numbers("rows", e.rows(), out);
        numbers("bytes", e.bytes(), out);
        out.writeArrayFieldStart("keys");
        for (RunEvent.KeyCount key : e.keys()) {
            out.writeStartObject();
            out.writeStringField("key", key.key());
            out.writeNumberField("rows", key.rows());
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private static void numbers(String name, List<Long> numbers, JsonGenerator out) throws IOException {
        out.writeFieldName(name);
        out.writeArray(numbers.stream().mapToLong(Long::longValue).toArray(), 0, numbers.size());
    }

    private static void use(AttemptUse use, JsonGenerator out) throws IOException {
        long[] micros = {
            use.waited() / MICRO, use.nanos() / MICRO, use.sides() / MICRO, use.cpu() / MICRO, use.collector() / MICRO
        };
        out.writeFieldName("use");
        out.writeArray(micros, 0, micros.length);
    }

    private static void counted(RunEvent.Counted e, JsonGenerator out) throws IOException {
        begin("counted", e.at(), out);
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

    private static void started(RunEvent.RunStarted e, JsonGenerator out) throws IOException {
        begin("run-started", e.at(), out);
        out.writeNumberField("version", VERSION);
        out.writeStringField("run", e.runId());
        out.writeStringField("title", e.title());
        out.writeNumberField("slots", e.slots());
        out.writeObjectFieldStart("settings");
        for (Map.Entry<String, String> setting : e.settings().entrySet()) {
            out.writeStringField(setting.getKey(), setting.getValue());
        }
        out.writeEndObject();
        out.writeArrayFieldStart("stages");
        for (StageOutline stage : e.plan().stages()) {
            out.writeStartObject();
            out.writeNumberField("id", stage.id());
            out.writeArrayFieldStart("reads");
            for (int read : stage.reads()) {
                out.writeNumber(read);
            }
            out.writeEndArray();
            out.writeNumberField("expected-rows", stage.expectedRows());
            out.writeNumberField("expected-bytes", stage.expectedBytes());
            out.writeFieldName("output");
            node(stage.output(), out);
            out.writeArrayFieldStart("pipelines");
            for (PipelineOutline pipeline : stage.pipelines()) {
                pipeline(pipeline, out);
            }
            out.writeEndArray();
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private static void ended(RunEvent.RunEnded e, JsonGenerator out) throws IOException {
        begin("run-ended", e.at(), out);
        out.writeStringField("state", e.state());
        optional("reason", e.reason(), out);
        out.writeNumberField("rows", e.rows());
        out.writeNumberField("bytes", e.bytes());
        out.writeNumberField("files", e.files());
    }

    private static void pipeline(PipelineOutline pipeline, JsonGenerator out) throws IOException {
        out.writeStartObject();
        texts("conditions", pipeline.conditions(), out);
        out.writeFieldName("source");
        node(pipeline.source(), out);
        out.writeArrayFieldStart("steps");
        for (Node step : pipeline.steps()) {
            node(step, out);
        }
        out.writeEndArray();
        out.writeEndObject();
    }

    private static void node(Node node, JsonGenerator out) throws IOException {
        out.writeStartObject();
        out.writeNumberField("id", node.id());
        out.writeStringField("kind", node.kind());
        out.writeStringField("text", node.text());
        out.writeEndObject();
    }

    /**
     * Reads the object at which a parser is.
     *
     * @return empty for an event of a later version
     * @throws IOException when the text is no JSON
     * @throws RuntimeException when it is no event
     */
    public static Optional<RunEvent> read(JsonParser parser) throws IOException {
        if (parser.currentToken() != JsonToken.START_OBJECT) {
            throw new IllegalArgumentException("not an object");
        }
        return Optional.ofNullable(event(new Fields(object(parser))));
    }

    private static Map<String, Object> object(JsonParser parser) throws IOException {
        Map<String, Object> fields = new LinkedHashMap<>();
        for (String name = parser.nextFieldName(); name != null; name = parser.nextFieldName()) {
            parser.nextToken();
            fields.put(name, value(parser));
        }
        return fields;
    }

    private static List<Object> array(JsonParser parser) throws IOException {
        List<Object> items = new ArrayList<>();
        while (parser.nextToken() != JsonToken.END_ARRAY) {
            items.add(value(parser));
        }
        return items;
    }

    private static Object value(JsonParser parser) throws IOException {
        return switch (parser.currentToken()) {
            case START_OBJECT -> object(parser);
            case START_ARRAY -> array(parser);
            case VALUE_NUMBER_INT -> parser.getLongValue();
            case VALUE_NULL -> null;
            default -> parser.getText();
        };
    }

    /** The members of an object, of which those that are asked for without {@code optional} must be there. */
    @SuppressWarnings("unchecked")
    private record Fields(Map<String, Object> members) {
        long number(String name) {
            return (Long) members.get(name);
        }

        int small(String name) {
            return Math.toIntExact(number(name));
        }

        String text(String name) {
            return (String) required(name);
        }

        String optional(String name) {
            return (String) members.get(name);
        }

        List<String> texts(String name) {
            return ((List<Object>) required(name))
                    .stream().map(String.class::cast).toList();
        }

        /** None where they are not there. */
        List<String> someTexts(String name) {
            return members.get(name) == null ? List.of() : texts(name);
        }

        List<Long> numbers(String name) {
            return ((List<Object>) required(name))
                    .stream().map(Long.class::cast).toList();
        }

        List<Fields> objects(String name) {
            return ((List<Map<String, Object>>) required(name))
                    .stream().map(Fields::new).toList();
        }

        Fields object(String name) {
            return new Fields((Map<String, Object>) required(name));
        }

        Object required(String name) {
            Object value = members.get(name);
            if (value == null) {
                throw new IllegalArgumentException("no " + name);
            }
            return value;
        }

        AttemptId attempt() {
            return new AttemptId(small("stage"), small("task"), small("attempt"));
        }
    }

    private static RunEvent event(Fields f) {
        long at = f.number("at");
        return switch (f.text("event")) {
            case "run-started" ->
                new RunEvent.RunStarted(
                        at, f.text("run"), f.text("title"), plan(f), settings(f.object("settings")), slots(f));
            case "stage-started" ->
                new RunEvent.StageStarted(at, f.small("stage"), f.small("tasks"), f.someTexts("decisions"));
            case "attempt-started" ->
                new RunEvent.AttemptStarted(at, f.attempt(), f.optional("worker"), f.small("slot"), f.text("input"));
            case "attempt-finished" ->
                new RunEvent.AttemptFinished(
                        at, f.attempt(), f.small("slot"), f.number("rows"), metrics(f.object("steps")), use(f));
            case "attempt-failed" -> new RunEvent.AttemptFailed(at, f.attempt(), f.small("slot"), f.text("reason"));
            case "attempt-stopped" -> new RunEvent.AttemptStopped(at, f.attempt(), f.small("slot"));
            case "parts-made" ->
                new RunEvent.PartsMade(
                        at,
                        f.small("stage"),
                        f.numbers("rows"),
                        f.numbers("bytes"),
                        f.objects("keys").stream()
                                .map(k -> new RunEvent.KeyCount(k.text("key"), k.number("rows")))
                                .toList());
            case "stage-finished" -> new RunEvent.StageFinished(at, f.small("stage"));
            case "stage-reopened" -> new RunEvent.StageReopened(at, f.small("stage"));
            case "worker-joined" -> new RunEvent.WorkerJoined(at, f.text("worker"), f.small("slots"));
            case "worker-lost" -> new RunEvent.WorkerLost(at, f.text("worker"), f.text("reason"));
            case "asked" -> new RunEvent.Asked(at, f.text("line"));
            case "warning" -> new RunEvent.Warning(at, f.text("message"));
            case "printed" -> printed(at, f);
            case "records-skipped" ->
                new RunEvent.RecordsSkipped(at, f.number("count"), f.texts("examples"), f.optional("kept-in"));
            case "counted" -> new RunEvent.Counted(at, counters(f.object("counters")));
            case "run-ended" ->
                new RunEvent.RunEnded(
                        at,
                        f.text("state"),
                        f.optional("reason"),
                        f.number("rows"),
                        f.number("bytes"),
                        f.small("files"));
            default -> null;
        };
    }

    /** Version 1 named the attempt in words. */
    private static RunEvent printed(long at, Fields f) {
        AttemptId attempt;
        if (f.required("attempt") instanceof String words) {
            String[] parts = words.split(" ");
            attempt = new AttemptId(Integer.parseInt(parts[1]), Integer.parseInt(parts[3]), Integer.parseInt(parts[5]));
        } else {
            attempt = f.attempt();
        }
        return new RunEvent.Printed(at, attempt, f.optional("worker"), f.texts("lines"));
    }

    /** Earlier versions do not say it. */
    private static int slots(Fields f) {
        return f.members().containsKey("slots") ? f.small("slots") : 0;
    }

    private static Map<String, String> settings(Fields f) {
        Map<String, String> settings = new LinkedHashMap<>();
        f.members().forEach((name, value) -> settings.put(name, (String) value));
        return settings;
    }

    @SuppressWarnings("unchecked")
    private static Map<Integer, StepMetrics> metrics(Fields f) {
        Map<Integer, StepMetrics> steps = new LinkedHashMap<>();
        f.members().forEach((id, value) -> {
            List<Long> m = (List<Long>) value;
            steps.put(Integer.valueOf(id), new StepMetrics(m.get(0), m.get(1), m.get(2), orZero(m, 3), orZero(m, 4)));
        });
        return steps;
    }

    private static long orZero(List<Long> numbers, int place) {
        return place < numbers.size() ? numbers.get(place) : 0;
    }

    /** Earlier versions have none. */
    @SuppressWarnings("unchecked")
    private static AttemptUse use(Fields f) {
        List<Long> u = (List<Long>) f.members().get("use");
        return u == null
                ? AttemptUse.NONE
                : new AttemptUse(
                        u.get(0) * MICRO, u.get(1) * MICRO, u.get(2) * MICRO, u.get(3) * MICRO, u.get(4) * MICRO);
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Map<String, Long>> counters(Fields f) {
        Map<String, Map<String, Long>> counters = new LinkedHashMap<>();
        f.members().forEach((group, names) -> {
            Map<String, Long> counts = new LinkedHashMap<>();
            ((Map<String, Object>) names).forEach((name, count) -> counts.put(name, (Long) count));
            counters.put(group, counts);
        });
        return counters;
    }

    private static PlanOutline plan(Fields f) {
        return f.members().containsKey("stages")
                ? new PlanOutline(
                        f.objects("stages").stream().map(RunEventJson::stage).toList())
                : printedPlan(f.objects("plan"));
    }

    @SuppressWarnings("unchecked")
    private static StageOutline stage(Fields f) {
        List<Integer> reads = ((List<Long>) f.required("reads"))
                .stream().map(Math::toIntExact).toList();
        List<PipelineOutline> pipelines = f.objects("pipelines").stream()
                .map(p -> new PipelineOutline(
                        p.texts("conditions"),
                        node(p.object("source")),
                        p.objects("steps").stream().map(RunEventJson::node).toList()))
                .toList();
        return new StageOutline(
                f.small("id"),
                reads,
                node(f.object("output")),
                pipelines,
                f.number("expected-rows"),
                f.number("expected-bytes"));
    }

    private static Node node(Fields f) {
        return new Node(f.small("id"), f.text("kind"), f.text("text"));
    }

    /** The plan of version 1: lines as they are printed, the last stage first, and the steps of a pipeline before its source. */
    private static PlanOutline printedPlan(List<Fields> lines) {
        List<StageOutline> stages = new ArrayList<>();
        int at = 0;
        while (at < lines.size()) {
            int stage = lines.get(at).small("id");
            Node output = printedNode(lines.get(at + 1));
            at += 2;
            List<PipelineOutline> pipelines = new ArrayList<>();
            List<String> conditions = new ArrayList<>();
            List<Node> steps = new ArrayList<>();
            while (at < lines.size() && !lines.get(at).text("role").equals("stage")) {
                Node node = printedNode(lines.get(at));
                switch (lines.get(at).text("role")) {
                    case "condition" -> conditions.add(node.text());
                    case "step" -> steps.add(0, node);
                    default -> {
                        pipelines.add(new PipelineOutline(conditions, node, steps));
                        conditions = new ArrayList<>();
                        steps = new ArrayList<>();
                    }
                }
                at++;
            }
            stages.add(0, new StageOutline(stage, List.of(), output, pipelines, -1, -1));
        }
        return new PlanOutline(stages);
    }

    private static Node printedNode(Fields line) {
        return new Node(line.small("id"), "", line.text("text").replaceFirst("^ +(\\+ )?", ""));
    }
}
