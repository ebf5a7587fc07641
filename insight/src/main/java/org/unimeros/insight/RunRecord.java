package org.unimeros.insight;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.BufferedReader;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.stage.Sizes;

/** What a record says of a run. A record that ends early is of a run that is still going on, or was killed. */
public final class RunRecord {

    /** A line of the plan; {@code id} is that of a stage where that is its role, else of a step. */
    private record PlanLine(String text, String role, int id) {}

    private static final class StageFigures {
        int tasks;
        int finished;
        int failed;
        int stopped;
        long startMillis = -1;
        long endMillis = -1;
        long slowestMillis;
    }

    private final Path path;
    private String run = "";
    private String title = "";
    private String state = "unfinished";
    private String reason;
    private long startMillis;
    private long endMillis;
    private long rows;
    private long bytes;
    private long files;
    private long skippedRecords;
    private final List<PlanLine> plan = new ArrayList<>();
    private final Map<Integer, StepMetrics> steps = new LinkedHashMap<>();
    private final Map<Integer, StageFigures> stages = new LinkedHashMap<>();
    private final Map<String, Long> attemptStarts = new LinkedHashMap<>();
    private final List<String> warnings = new ArrayList<>();
    private final Map<String, Map<String, Long>> counters = new LinkedHashMap<>();
    private final List<String> lost = new ArrayList<>();
    private final Map<String, Map<Integer, StepMetrics>> taskSteps = new HashMap<>();
    private int workers;

    private RunRecord(Path path) {
        this.path = path;
    }

    /**
     * Reads a record.
     *
     * @throws UserMistake when there is none
     * @throws BadData when it is not one; a last line that was cut off is left out
     */
    public static RunRecord read(Path path) {
        RunRecord record = new RunRecord(path);
        try (BufferedReader in = Files.newBufferedReader(path)) {
            int number = 0;
            for (String line = in.readLine(); line != null; line = in.readLine()) {
                number++;
                try {
                    record.add(parse(line));
                } catch (JsonProcessingException | ClassCastException | NullPointerException e) {
                    boolean isLast = in.readLine() == null;
                    if (!isLast || number == 1) {
                        throw new BadData(path + ":" + number + ": not a line of a run record", e);
                    }
                    break;
                }
            }
            if (number == 0) {
                throw new BadData(path + " is empty, not a run record");
            }
        } catch (NoSuchFileException e) {
            throw new UserMistake("there is no run record " + path, e);
        } catch (IOException e) {
            throw new ResourceFailure("cannot read " + path + ": " + e.getMessage(), e);
        }
        return record;
    }

    private static Map<String, Object> parse(String line) throws IOException {
        try (JsonParser parser = new JsonFactory().createParser(line)) {
            if (parser.nextToken() != JsonToken.START_OBJECT) {
                throw new ClassCastException("not an object");
            }
            return object(parser);
        }
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

    @SuppressWarnings("unchecked")
    private void add(Map<String, Object> event) {
        long at = number(event, "at");
        switch ((String) event.get("event")) {
            case "run-started" -> {
                startMillis = at;
                run = (String) event.get("run");
                title = (String) event.get("title");
                for (Map<String, Object> line : (List<Map<String, Object>>) event.get("plan")) {
                    plan.add(new PlanLine(
                            (String) line.get("text"), (String) line.get("role"), (int) number(line, "id")));
                }
            }
            case "stage-started" -> {
                StageFigures stage = stage(event);
                stage.tasks = (int) number(event, "tasks");
                stage.startMillis = at;
            }
            case "attempt-started" -> attemptStarts.put(attempt(event), at);
            case "attempt-finished" -> finished(event, at);
            case "attempt-failed" -> stage(event).failed++;
            case "stage-finished" -> stage(event).endMillis = at;
            // In one process it is only the tasks that a limit makes needless.
            case "attempt-stopped" -> stage(event).stopped += workers > 0 ? 1 : 0;
            case "worker-joined" -> workers++;
            case "worker-lost" -> lost.add("worker " + event.get("worker") + " was lost: " + event.get("reason"));
            case "warning" -> warnings.add((String) event.get("message"));
            case "records-skipped" -> {
                skippedRecords = number(event, "count");
                String kept = (String) event.get("kept-in");
                warnings.add(Sizes.count(skippedRecords, "bad record") + " left out"
                        + (kept == null ? "" : " and kept in " + kept) + ", such as: "
                        + ((List<Object>) event.get("examples")).get(0));
            }
            case "counted" -> counters.putAll((Map<String, Map<String, Long>>) event.get("counters"));
            case "run-ended" -> {
                endMillis = at;
                state = (String) event.get("state");
                reason = (String) event.get("reason");
                rows = number(event, "rows");
                bytes = number(event, "bytes");
                files = number(event, "files");
            }
            default -> {
                // an event of a later version says nothing here
            }
        }
    }

    @SuppressWarnings("unchecked")
    private void finished(Map<String, Object> event, long at) {
        StageFigures stage = stage(event);
        stage.finished++;
        Long start = attemptStarts.get(attempt(event));
        stage.slowestMillis = Math.max(stage.slowestMillis, start == null ? 0 : at - start);
        Map<Integer, StepMetrics> made = new HashMap<>();
        ((Map<String, List<Long>>) event.get("steps"))
                .forEach((id, m) -> made.put(
                        Integer.valueOf(id),
                        new StepMetrics(m.get(0), m.get(1), m.get(2), m.size() > 3 ? m.get(3) : 0)));
        // What was lost and made again counts once.
        Map<Integer, StepMetrics> before = taskSteps.put(event.get("stage") + "/" + event.get("task"), made);
        if (before != null) {
            before.forEach((id, m) -> steps.merge(id, m, StepMetrics::minus));
        }
        made.forEach((id, m) -> steps.merge(id, m, StepMetrics::plus));
    }

    private StageFigures stage(Map<String, Object> event) {
        return stages.computeIfAbsent((int) number(event, "stage"), id -> new StageFigures());
    }

    private static String attempt(Map<String, Object> event) {
        return event.get("stage") + "/" + event.get("task") + "/" + event.get("attempt");
    }

    private static long number(Map<String, Object> event, String name) {
        return (Long) event.get(name);
    }

    public String run() {
        return run;
    }

    public String title() {
        return title;
    }

    /** done, failed, cancelled or unfinished. */
    public String state() {
        return state;
    }

    /** Bad records that were left out. */
    public long skippedRecords() {
        return skippedRecords;
    }

    /** What the job's own code has counted, by group and name. */
    public Map<String, Map<String, Long>> counters() {
        return Collections.unmodifiableMap(counters);
    }

    public List<String> warnings() {
        return List.copyOf(warnings);
    }

    /** What was measured for a step, all tasks together. */
    public StepMetrics step(int id) {
        return steps.getOrDefault(id, new StepMetrics(0, 0, 0, 0));
    }

    /** The plan with what really happened: tasks and times of stages; rows, bytes and time of steps. */
    public String print() {
        StringBuilder out = new StringBuilder();
        out.append("run ").append(run).append(", ").append(state);
        if (endMillis > 0) {
            out.append(" in ").append(Sizes.millis(endMillis - startMillis));
            out.append(", ").append(Sizes.count(rows, "row"));
            out.append(files > 0 ? ", " + Sizes.count(files, "file") + " of " + Sizes.bytes(bytes) : "");
        }
        out.append('\n').append(title.isEmpty() ? "" : title + "\n");
        out.append(reason == null ? "" : "because: " + reason + "\n").append('\n');
        plan.forEach(line -> print(line, out));
        out.append(workers > 0 ? "on " + Sizes.count(workers, "worker") + "\n" : "");
        lost.forEach(l -> out.append(l).append('\n'));
        counters.forEach((group, names) -> out.append("counted ")
                .append(group)
                .append(": ")
                .append(names.entrySet().stream()
                        .map(c -> c.getKey() + " " + Sizes.count(c.getValue()))
                        .collect(Collectors.joining(", ")))
                .append('\n'));
        warnings.forEach(w -> out.append("warning: ").append(w).append('\n'));
        out.append("record: ").append(path).append('\n');
        return out.toString();
    }

    private void print(PlanLine line, StringBuilder out) {
        out.append(line.text);
        if (line.role.equals("stage")) {
            StageFigures stage = stages.get(line.id);
            out.append(stage == null ? ": not begun" : ": " + figures(stage)).append('\n');
            return;
        }
        StepMetrics m = steps.get(line.id);
        if (m != null) {
            String indent =
                    " ".repeat(line.text.length() - line.text.stripLeading().length() + 4);
            out.append('\n').append(indent).append("-> ").append(Sizes.count(m.rows(), "row"));
            out.append(line.role.equals("step") ? " in" : line.role.equals("source") ? " out" : "");
            out.append(m.bytes() > 0 ? ", " + Sizes.bytes(m.bytes()) : "");
            out.append(m.spilled() > 0 ? ", spilled " + Sizes.bytes(m.spilled()) : "");
            out.append(", ").append(Sizes.millis(m.nanos() / 1_000_000)).append(" of task time");
        }
        out.append('\n');
    }

    private static String figures(StageFigures stage) {
        String tasks = stage.finished >= stage.tasks
                ? Sizes.count(stage.tasks, "task")
                : stage.finished + " of " + Sizes.count(stage.tasks, "task") + " needed";
        String time = stage.endMillis < 0 ? ", not finished" : ", " + Sizes.millis(stage.endMillis - stage.startMillis);
        String slowest = stage.tasks > 1 ? ", slowest task " + Sizes.millis(stage.slowestMillis) : "";
        String again = stage.finished > stage.tasks ? ", " + (stage.finished - stage.tasks) + " done again" : "";
        return tasks
                + time
                + slowest
                + again
                + (stage.failed > 0 ? ", " + stage.failed + " failed" : "")
                + (stage.stopped > 0 ? ", " + Sizes.count(stage.stopped, "attempt") + " stopped" : "");
    }
}
