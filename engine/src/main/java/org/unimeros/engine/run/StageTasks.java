package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.join.PairGuard;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Replanner;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.sort.SortedRuns;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/** Divides stages into tasks, by the sizes of what earlier ones made. Used by the driving thread. */
final class StageTasks {

    private final PhysicalPlan plan;
    private final RunSettings settings;
    private final PairGuard pairs;
    private final Consumer<String> warn;
    private final Exchange exchange;
    private final Map<Integer, List<TaskInput>> inputs = new HashMap<>();

    StageTasks(PhysicalPlan plan, RunSettings settings, Exchange exchange, PairGuard pairs, Consumer<String> warn) {
        this.plan = plan;
        this.settings = settings;
        this.exchange = exchange;
        this.pairs = pairs;
        this.warn = warn;
    }

    /**
     * Makes the tasks of a stage, whose dependencies are finished; returns their number.
     *
     * @throws BadData when the stage must not begin
     */
    int prepare(int stageId) {
        Stage stage = plan.stage(stageId);
        List<TaskInput> tasks = new ArrayList<>();
        for (int p = 0; p < stage.pipelines().size(); p++) {
            int pipeline = p;
            if (!stage.pipelines().get(p).when().stream().allMatch(this::holds)) {
                continue;
            }
            expectPairs(stage.pipelines().get(p));
            switch (stage.pipelines().get(p).source()) {
                case Source.Table table -> {
                    for (int s = 0; s < table.plan().splits().size(); s++) {
                        tasks.add(TaskInput.split(pipeline, s));
                    }
                }
                case Source.Given given -> tasks.add(TaskInput.given(pipeline));
                case Source.Runs sorted ->
                    new SortedRuns(exchange.results(sorted.stage()), sorted.keys())
                            .ranges(sorted.cut(), settings.targetPartBytes())
                            .forEach(range -> tasks.add(TaskInput.range(pipeline, range)));
                case Source.Parts parts ->
                    ranges(stage.pipelines().get(p), parts)
                            .forEach(range -> tasks.add(TaskInput.parts(pipeline, range)));
            }
        }
        inputs.put(stageId, tasks);
        return tasks.size();
    }

    private void expectPairs(Stage.Pipeline pipeline) {
        for (Step step : pipeline.steps()) {
            boolean bothDivided =
                    step instanceof Step.Probe probe && !probe.copied() && pipeline.source() instanceof Source.Parts;
            if (bothDivided) {
                Step.Probe probe = (Step.Probe) step;
                Source.Parts parts = (Source.Parts) pipeline.source();
                pairs.expect(
                        probe,
                        KeySketch.merged(exchange.sketches(parts.stage())),
                        KeySketch.merged(exchange.sketches(probe.buildStage())),
                        warn);
            }
        }
        expectAllPairs(pipeline);
    }

    /** Rows of a first join without keys, which looks at all pairs, where nothing before it leaves rows out. */
    private void expectAllPairs(Stage.Pipeline pipeline) {
        for (Step step : pipeline.steps()) {
            if (step instanceof Step.Probe probe) {
                long rows = rows(pipeline.source());
                if (probe.probeKeys().isEmpty() && rows > 0) {
                    pairs.expectAll(probe, rows, exchange.rows(probe.buildStage()), warn);
                }
                return;
            }
            if (!(step instanceof Step.Select)) {
                return;
            }
        }
    }

    /** How many rows a source has; -1 where that is not known. */
    private long rows(Source source) {
        return switch (source) {
            case Source.Table table ->
                table.plan().open().isEmpty() ? table.plan().estimatedRows() : -1;
            case Source.Given given ->
                given.batches().stream().mapToLong(Batch::rowCount).sum();
            case Source.Runs sorted -> exchange.rows(sorted.stage());
            case Source.Parts parts -> exchange.rows(parts.stage());
        };
    }

    private boolean holds(Stage.When when) {
        return exchange.bytes(when.stage()) <= when.bytes() == when.isSmall();
    }

    private List<PartRange> ranges(Stage.Pipeline pipeline, Source.Parts parts) {
        int count = ((Output.ToParts) plan.stage(parts.stage()).output()).parts();
        if (parts.apart()) {
            return IntStream.range(0, count)
                    .mapToObj(p -> new PartRange(p, p + 1))
                    .toList();
        }
        long[] bytes = new long[count];
        exchange.addBytes(parts.stage(), bytes);
        for (Step step : pipeline.steps()) {
            if (step instanceof Step.Probe probe && !probe.copied()) {
                exchange.addBytes(probe.buildStage(), bytes);
            }
        }
        return Replanner.merge(bytes, settings.targetPartBytes());
    }

    /** Addresses of workers that have what tasks of a stage read, by task. */
    Map<Integer, String> places(int stageId) {
        Map<Integer, String> places = new HashMap<>();
        List<TaskInput> tasks = inputs.get(stageId);
        for (int t = 0; t < tasks.size(); t++) {
            TaskInput input = tasks.get(t);
            boolean isSplit = input.split() >= 0;
            String place = isSplit ? split(stageId, input).place() : "";
            if (!place.isEmpty()) {
                places.put(t, place);
            }
        }
        return places;
    }

    private Split split(int stageId, TaskInput input) {
        Source.Table table = (Source.Table)
                plan.stage(stageId).pipelines().get(input.pipeline()).source();
        return table.plan().splits().get(input.split());
    }

    TaskInput input(AttemptId attempt) {
        return inputs.get(attempt.stage()).get(attempt.task());
    }

    String describeInput(AttemptId attempt) {
        TaskInput input = input(attempt);
        if (input.split() >= 0) {
            return split(attempt.stage(), input).describe();
        }
        if (input.range() != null) {
            return "a range of sorted rows";
        }
        PartRange parts = input.parts();
        return parts == null ? "given rows" : "parts " + parts.from() + " to " + (parts.end() - 1);
    }
}
