package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.util.Arrays;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.LongStream;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunProgress.StageProgress;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;
import org.unimeros.insight.diagnosis.RunHistory;
import org.unimeros.insight.diagnosis.RunHistory.Ran;
import org.unimeros.insight.diagnosis.RunHistory.StageHistory;

/** The stages of a plan with what they did: times, rows, bytes, parts, keys. */
final class PageStages {

    /** Classes of the times of tasks, ten for each power of ten, from a millisecond on. */
    private static final int TIME_CLASSES = 80;

    private final RunHistory history;

    PageStages(RunHistory history) {
        this.history = history;
    }

    void write(JsonGenerator out, long start) throws IOException {
        out.writeArrayFieldStart("stages");
        for (StageOutline outline : history.progress().plan().stages()) {
            StageHistory stage = history.stages().stream()
                    .filter(s -> s.id() == outline.id())
                    .findFirst()
                    .orElse(null);
            out.writeStartObject();
            out.writeNumberField("id", outline.id());
            out.writeStringField("name", name(outline, stage));
            numbers(out, "reads", outline.reads().stream().mapToLong(Integer::longValue));
            out.writeNumberField("expectedRows", outline.expectedRows());
            out.writeNumberField("expectedBytes", outline.expectedBytes());
            out.writeFieldName("output");
            node(out, outline.output(), stage);
            pipelines(out, outline, stage);
            if (stage != null) {
                tasks(out, outline, stage, start);
                parts(out, stage);
            }
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private void tasks(JsonGenerator out, StageOutline outline, StageHistory stage, long start) throws IOException {
        StageProgress progress = history.progress().stage(stage.id());
        out.writeNumberField("tasks", stage.tasks());
        out.writeNumberField("done", stage.ran().size());
        out.writeNumberField("again", stage.madeAgain().size());
        out.writeNumberField("failed", progress.failed());
        out.writeNumberField("stopped", progress.stopped());
        out.writeBooleanField("finished", progress.isFinished());
        long begin = history.begins(stage.id()).orElse(start);
        out.writeNumberField("begin", begin - start);
        out.writeNumberField("end", history.ends(stage.id()).orElse(begin) - start);
        long[] times = stage.ran().stream().mapToLong(Ran::millis).sorted().toArray();
        if (times.length > 0) {
            out.writeNumberField("median", times[(times.length - 1) / 2]);
            out.writeNumberField("most95", times[(int) Math.ceil(times.length * 0.95) - 1]);
            out.writeNumberField("longest", times[times.length - 1]);
        }
        numbers(out, "times", classes(times));
        numbers(
                out,
                "uses",
                Arrays.stream(stage.ran().stream()
                                .map(r -> TimeUse.of(r, outline))
                                .reduce(new long[TimeUse.KINDS.size()], PageStages::sum))
                        .map(nanos -> nanos / 1_000_000));
    }

    private static long[] sum(long[] a, long[] b) {
        long[] sum = a.clone();
        for (int i = 0; i < b.length; i++) {
            sum[i] += b[i];
        }
        return sum;
    }

    /** How many tasks there are in each class of times. */
    private static LongStream classes(long[] millis) {
        long[] counts = new long[TIME_CLASSES];
        for (long time : millis) {
            counts[(int) Math.min(TIME_CLASSES - 1, 10 * Math.log10(Math.max(1, time)))]++;
        }
        return Arrays.stream(counts);
    }

    private static void numbers(JsonGenerator out, String name, LongStream numbers) throws IOException {
        out.writeFieldName(name);
        long[] all = numbers.toArray();
        out.writeArray(all, 0, all.length);
    }

    private void parts(JsonGenerator out, StageHistory stage) throws IOException {
        RunEvent.PartsMade parts = history.parts(stage.id()).orElse(null);
        if (parts == null) {
            return;
        }
        numbers(out, "partRows", parts.rows().stream().mapToLong(Long::longValue));
        numbers(out, "partBytes", parts.bytes().stream().mapToLong(Long::longValue));
        out.writeArrayFieldStart("keys");
        for (RunEvent.KeyCount key : parts.keys()) {
            out.writeStartArray();
            out.writeString(key.key());
            out.writeNumber(key.rows());
            out.writeEndArray();
        }
        out.writeEndArray();
    }

    private static void pipelines(JsonGenerator out, StageOutline outline, StageHistory stage) throws IOException {
        out.writeArrayFieldStart("pipelines");
        for (PipelineOutline pipeline : outline.pipelines()) {
            out.writeStartObject();
            out.writeArrayFieldStart("conditions");
            for (String condition : pipeline.conditions()) {
                out.writeString(condition);
            }
            out.writeEndArray();
            out.writeBooleanField("taken", isTaken(pipeline, stage));
            out.writeFieldName("source");
            node(out, pipeline.source(), stage);
            out.writeArrayFieldStart("steps");
            for (Node step : pipeline.steps()) {
                node(out, step, stage);
            }
            out.writeEndArray();
            out.writeEndObject();
        }
        out.writeEndArray();
    }

    private static boolean isTaken(PipelineOutline pipeline, StageHistory stage) {
        return stage != null
                && stage.ran().stream()
                        .anyMatch(r -> r.steps().containsKey(pipeline.source().id()));
    }

    private static void node(JsonGenerator out, Node node, StageHistory stage) throws IOException {
        StepMetrics m = stage == null ? StepMetrics.NONE : stage.step(node.id());
        out.writeStartObject();
        out.writeStringField("kind", node.kind());
        out.writeStringField("text", node.text());
        out.writeNumberField("rows", m.rows());
        out.writeNumberField("bytes", m.bytes());
        out.writeNumberField("millis", m.nanos() / 1_000_000);
        out.writeNumberField("spilled", m.spilled());
        out.writeEndObject();
    }

    /** What a stage does in few words, by the pipeline that was taken: {@code read scans, join, group}. */
    private static String name(StageOutline outline, StageHistory stage) {
        PipelineOutline pipeline = outline.pipelines().stream()
                .filter(p -> isTaken(p, stage))
                .findFirst()
                .orElse(outline.pipelines().get(0));
        Set<String> words = new LinkedHashSet<>();
        if (pipeline.source().kind().equals("table")) {
            words.add("read " + table(pipeline.source().text()));
        }
        pipeline.steps().forEach(step -> words.addAll(word(step.kind())));
        if (outline.output().kind().equals("to-sink")) {
            words.add("write");
        }
        if (words.isEmpty()) {
            words.add(outline.output().kind().equals("to-runs") ? "sort" : "pass on");
        }
        return String.join(", ", words);
    }

    /** The last name of the dataset that a source reads. */
    private static String table(String source) {
        String path = source.replaceFirst("^scan ", "").replaceFirst(" \\[.*", "");
        return path.substring(path.lastIndexOf('/') + 1);
    }

    private static List<String> word(String kind) {
        return switch (kind) {
            case "probe" -> List.of("join");
            case "partial-group", "partial-sets", "final-group", "whole-group" -> List.of("group");
            case "window" -> List.of("window");
            case "order", "merge" -> List.of("sort");
            case "apply", "combine", "reduce" -> List.of("code of the job");
            case "unnest" -> List.of("unnest");
            case "take" -> List.of("limit");
            default -> List.of();
        };
    }
}
