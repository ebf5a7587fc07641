package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.LongSupplier;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.operator.BuildSide;
import org.unimeros.engine.operator.JoinTable;
import org.unimeros.engine.operator.KeySketch;
import org.unimeros.engine.operator.PairGuard;
import org.unimeros.engine.operator.SortedRuns;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.operator.TaskChain;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Replanner;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.source.TableSink.TaskWriter;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/**
 * Knows what the tasks of each stage read, and runs attempts. {@link #run} is called by the threads of the slots; all
 * else by the driving thread. A stage's tasks are made before they are launched and not changed afterwards.
 */
final class TaskRunner {

    /** What a task reads; one of {@code split}, {@code parts} and {@code sorted} is set unless the rows are given. */
    private record Input(int pipeline, Split split, PartRange parts, SortedRange sorted) {}

    private record SortedRange(SortedRuns runs, SortedRuns.Range range) {}

    /** What an attempt made, and the figures of its steps. */
    record Done(TaskResult result, Map<Integer, StepMetrics> steps) {}

    private final PhysicalPlan plan;
    private final RunSettings settings;
    private final Workspace workspace;
    private final PairGuard pairs;
    private final Consumer<String> warn;
    private final LongSupplier nanoClock;
    private final Exchange exchange = new Exchange();
    private final Map<Integer, List<Input>> inputs = new ConcurrentHashMap<>();
    private final Map<Integer, BuildSide> copies = new ConcurrentHashMap<>();
    private final Map<Integer, Long> copiedBytes = new ConcurrentHashMap<>();
    private final Map<Integer, Integer> readersLeft = new HashMap<>();

    TaskRunner(
            PhysicalPlan plan,
            RunSettings settings,
            Workspace workspace,
            LongSupplier nanoClock,
            Consumer<String> warn) {
        this.warn = warn;
        this.pairs = new PairGuard(settings.pairsLimit(), settings.failsOverPairs());
        this.plan = plan;
        this.settings = settings;
        this.workspace = workspace;
        this.nanoClock = nanoClock;
        plan.stages().forEach(s -> s.dependencies().forEach(d -> readersLeft.merge(d, 1, Integer::sum)));
    }

    /**
     * Makes the tasks of a stage, whose dependencies are finished; returns their number.
     *
     * @throws BadData when the stage must not begin
     */
    int prepare(int stageId) {
        Stage stage = plan.stage(stageId);
        List<Input> tasks = new ArrayList<>();
        for (int p = 0; p < stage.pipelines().size(); p++) {
            int pipeline = p;
            if (!stage.pipelines().get(p).when().stream().allMatch(this::holds)) {
                continue;
            }
            expectPairs(stage.pipelines().get(p));
            switch (stage.pipelines().get(p).source()) {
                case Source.Table table ->
                    table.plan().splits().forEach(split -> tasks.add(new Input(pipeline, split, null, null)));
                case Source.Given given -> tasks.add(new Input(pipeline, null, null, null));
                case Source.Runs sorted -> {
                    SortedRuns runs = new SortedRuns(exchange.results(sorted.stage()), sorted.keys());
                    runs.ranges(settings.targetPartBytes())
                            .forEach(range -> tasks.add(new Input(pipeline, null, null, new SortedRange(runs, range))));
                }
                case Source.Parts parts ->
                    ranges(stage.pipelines().get(p), parts)
                            .forEach(range -> tasks.add(new Input(pipeline, null, range, null)));
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
    }

    private boolean holds(Stage.When when) {
        return exchange.bytes(when.stage()) <= when.bytes() == when.isSmall();
    }

    private List<PartRange> ranges(Stage.Pipeline pipeline, Source.Parts parts) {
        int count = ((Output.ToParts) plan.stage(parts.stage()).output()).parts();
        long[] bytes = new long[count];
        exchange.addBytes(parts.stage(), bytes);
        for (Step step : pipeline.steps()) {
            if (step instanceof Step.Probe probe && !probe.copied()) {
                exchange.addBytes(probe.buildStage(), bytes);
            }
        }
        return Replanner.merge(bytes, settings.targetPartBytes());
    }

    String describeInput(AttemptId attempt) {
        Input input = inputs.get(attempt.stage()).get(attempt.task());
        if (input.split != null) {
            return input.split.describe();
        }
        if (input.sorted != null) {
            return "a range of sorted rows";
        }
        return input.parts == null ? "given rows" : "parts " + input.parts.from() + " to " + (input.parts.end() - 1);
    }

    /** Runs one attempt in the calling thread. */
    Done run(AttemptId attempt, BooleanSupplier cancelled, ReadContext context) {
        Stage stage = plan.stage(attempt.stage());
        Input input = inputs.get(attempt.stage()).get(attempt.task());
        TaskWriter writer = stage.output() instanceof Output.ToSink toSink
                ? toSink.sink().open(attempt.task(), attempt.attempt())
                : null;
        boolean finished = false;
        TaskChain chain = null;
        try (BatchReader reader = reader(stage, input, context)) {
            chain = new TaskChain(
                    stage,
                    input.pipeline,
                    probe -> table(probe, input),
                    () -> input.sorted.runs.pieces(input.sorted.range),
                    writer,
                    workspace,
                    nanoClock,
                    (step, count, key, most) -> pairs.add(step, count, key, most, warn));
            if (!chain.run(reader, cancelled)) {
                throw new RunCancelledException("no longer needed");
            }
            finished = true;
            return new Done(chain.result(), chain.metrics(input.split == null ? 0 : input.split.bytes()));
        } finally {
            if (chain != null) {
                chain.close(finished);
            }
            if (!finished && writer != null) {
                writer.abort();
            }
        }
    }

    private BatchReader reader(Stage stage, Input input, ReadContext context) {
        return switch (stage.pipelines().get(input.pipeline).source()) {
            case Source.Table table -> input.split.open(context);
            case Source.Given given ->
                new ListReader(given.batches().stream().map(Chunk::inMemory).toList());
            case Source.Runs sorted -> new ListReader(List.of());
            case Source.Parts parts -> new ListReader(exchange.chunks(parts.stage(), input.parts));
        };
    }

    private BuildSide table(Step.Probe probe, Input input) {
        if (probe.copied()) {
            return copies.computeIfAbsent(probe.id(), id -> copied(probe));
        }
        List<Chunk> chunks = exchange.chunks(probe.buildStage(), input.parts);
        boolean fits = JoinTable.bytesFor(chunks) <= workspace.perTask() / 2;
        return fits ? built(probe, chunks) : new BuildSide.TooLarge(chunks);
    }

    /** One table for all tasks; where there is no memory for it, every task reads the rows piece by piece. */
    private BuildSide copied(Step.Probe probe) {
        int parts = plan.stage(probe.buildStage()).output() instanceof Output.ToParts divided ? divided.parts() : 1;
        List<Chunk> chunks = exchange.chunks(probe.buildStage(), new PartRange(0, parts));
        long bytes = JoinTable.bytesFor(chunks);
        if (!workspace.copies().tryReserve(bytes)) {
            return new BuildSide.TooLarge(chunks);
        }
        copiedBytes.put(probe.id(), bytes);
        return built(probe, chunks);
    }

    private static BuildSide built(Step.Probe probe, List<Chunk> chunks) {
        return new BuildSide.InMemory(JoinTable.build(chunks, probe.buildSchema(), probe.buildKeys()));
    }

    void keep(AttemptId attempt, TaskResult result) {
        exchange.keep(attempt.stage(), attempt.task(), result);
    }

    List<TaskResult> results(int stage) {
        return exchange.results(stage);
    }

    /** Lets go of what no later stage reads. */
    void stageFinished(int stageId) {
        Stage stage = plan.stage(stageId);
        for (int dependency : stage.dependencies()) {
            if (readersLeft.merge(dependency, -1, Integer::sum) == 0) {
                exchange.drop(dependency);
            }
        }
        stage.pipelines()
                .forEach(p -> p.steps().forEach(s -> {
                    copies.remove(s.id());
                    workspace.copies().release(copiedBytes.getOrDefault(s.id(), 0L));
                    copiedBytes.remove(s.id());
                }));
    }

    /** What other stages made. */
    private static final class ListReader implements BatchReader {
        private final Iterator<Chunk> batches;

        ListReader(List<Chunk> batches) {
            this.batches = batches.iterator();
        }

        @Override
        public Batch next() {
            while (batches.hasNext()) {
                Chunk chunk = batches.next();
                if (chunk.rows() > 0) {
                    return chunk.load();
                }
            }
            return null;
        }

        @Override
        public void close() {
            // nothing to close
        }
    }
}
