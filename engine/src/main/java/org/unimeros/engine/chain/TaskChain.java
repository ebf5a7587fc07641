package org.unimeros.engine.chain;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.LongSupplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.group.FinalGroup;
import org.unimeros.engine.group.PartialGroup;
import org.unimeros.engine.group.PartialSets;
import org.unimeros.engine.group.WholeGroup;
import org.unimeros.engine.join.BuildSide;
import org.unimeros.engine.join.PairWatch;
import org.unimeros.engine.join.ProbeJoin;
import org.unimeros.engine.join.SpillJoin;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.operator.SimpleOperators;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.operator.TaskStopped;
import org.unimeros.engine.operator.Unnest;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.RowCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.own.step.ApplyCode;
import org.unimeros.engine.own.step.CombineRows;
import org.unimeros.engine.own.step.ReduceRows;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.sort.MergeRuns;
import org.unimeros.engine.sort.OrderRows;
import org.unimeros.engine.sort.RunStarts;
import org.unimeros.engine.sort.SortedRuns;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.spill.OutputStore;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;
import org.unimeros.engine.window.WindowRows;

/** The operators of one attempt of a task, linked from its source to its output. Used by one thread. */
public final class TaskChain {

    /** Watches the joins of a run. */
    @FunctionalInterface
    public interface Pairs {
        /** What is to be told of the pairs of a join, which has a number in the plan. */
        PairWatch watch(int id, Step.Probe join);
    }

    private static final Logger LOG = LoggerFactory.getLogger(TaskChain.class);

    private final Evaluator evaluator;
    private final List<SortedRuns.Piece> runs;
    private final Stage.Pipeline pipeline;
    private final List<Meter> meters = new ArrayList<>();
    private final Outputs.End end;
    private final Operator first;
    private final LongSupplier nanoClock;
    private final int outputId;
    private final Workspace workspace;
    private final Pairs pairs;
    private final OutputStore store;
    private final TaskScope scope;
    /** Merges what the task reads, where code of the job does so. */
    private ReduceRows merging;
    /** Code of the job, to be closed in any case. */
    private final List<Runnable> closers = new ArrayList<>();

    private final Map<Integer, StepSpace> spaces = new LinkedHashMap<>();
    private final long perStep;
    private long sourceRows;
    private long sourceNanos;

    /**
     * Links the operators.
     *
     * @param sides what rows are looked up in, for each join of the pipeline
     * @param runs the sorted rows that are merged, where the pipeline reads such
     * @param writer a writer for stages that write outside, else null
     * @param workspace the memory of the run
     * @param pairs watches the pairs that joins make
     * @param scope what code of the job is told
     */
    public TaskChain(
            Stage stage,
            int pipelineIndex,
            List<BuildSide> sides,
            List<SortedRuns.Piece> runs,
            TableSink.TaskWriter writer,
            Workspace workspace,
            LongSupplier nanoClock,
            Pairs pairs,
            TaskScope scope) {
        this.scope = scope;
        this.evaluator = new Evaluator(scope);
        closers.add(evaluator::close);
        this.pipeline = stage.pipelines().get(pipelineIndex);
        this.nanoClock = nanoClock;
        this.runs = runs;
        this.outputId = stage.outputId();
        this.workspace = workspace;
        this.pairs = pairs;
        this.store = writer == null ? workspace.newStore() : null;
        long holding = pipeline.steps().stream().filter(Step::holdsRows).count()
                + (stage.output().holdsRows() ? 1 : 0);
        this.perStep = workspace.perTask() / Math.max(1, holding);
        this.end = end(stage, writer);
        Operator chain = metered(outputId, end);
        int side = sides.size();
        for (int i = pipeline.steps().size() - 1; i >= 0; i--) {
            int id = pipeline.stepId(i);
            Operator made = pipeline.steps().get(i) instanceof Step.Probe probe
                    ? join(id, probe, sides.get(--side), chain)
                    : operator(id, pipeline.steps().get(i), chain);
            chain = metered(id, made);
        }
        this.first = chain;
    }

    private Meter metered(int id, Operator operator) {
        Meter meter = new Meter(id, operator, nanoClock, scope.stopped());
        meters.add(0, meter);
        return meter;
    }

    private Operator operator(int id, Step step, Operator next) {
        return switch (step) {
            case Step.Where s -> new SimpleOperators.Where(evaluator, s.condition(), next);
            case Step.Select s -> new SimpleOperators.Select(evaluator, expressions(s.outputs()), next);
            case Step.PartialGroup s ->
                new PartialGroup(evaluator, expressions(s.keys()), s.aggregates(), space(id), next);
            case Step.PartialSets s -> new PartialSets(evaluator, s, space(id), next);
            case Step.FinalGroup s -> new FinalGroup(evaluator, s.keys(), s.aggregates(), space(id), next);
            case Step.Probe s -> throw new IllegalArgumentException("a join has another side");
            case Step.Order s -> new OrderRows(evaluator, s, space(id), next);
            case Step.Merge s -> new MergeRuns(evaluator, s, runs, space(id), next);
            case Step.WholeGroup s -> new WholeGroup(evaluator, s, space(id), next);
            case Step.Window s -> new WindowRows(evaluator, s, space(id), next);
            case Step.Expand s ->
                new SimpleOperators.Expand(
                        evaluator,
                        s.variants().stream().map(TaskChain::expressions).toList(),
                        next);
            case Step.Unnest s -> new Unnest(evaluator, s, next);
            case Step.Take s -> new SimpleOperators.Take(s.offset(), s.count(), next);
            case Step.Apply s -> new ApplyCode(opened(s.code()), next);
            case Step.Combine s -> new CombineRows(evaluator, s, opened(s.code()), space(id), next);
            case Step.Reduce s -> reduce(id, s, next);
        };
    }

    private Operator reduce(int id, Step.Reduce s, Operator next) {
        List<SortedRuns.Piece> pieces = s.merges() ? runs : List.of();
        ReduceRows operator = new ReduceRows(evaluator, s, pieces, opened(s.code()), space(id), next);
        merging = s.merges() ? operator : merging;
        return operator;
    }

    private RowCode.Running opened(RowCode code) {
        RowCode.Running running = code.open(scope.within(perStep));
        closers.add(running::close);
        return running;
    }

    private GroupCode.Running opened(GroupCode code) {
        GroupCode.Running running = code.open(scope.within(perStep));
        closers.add(running::close);
        return running;
    }

    private StepSpace space(int step) {
        return spaces.computeIfAbsent(step, id -> new StepSpace(workspace, perStep));
    }

    private Operator join(int id, Step.Probe step, BuildSide side, Operator next) {
        PairWatch watch = pairs.watch(id, step);
        return switch (side) {
            case BuildSide.InMemory s -> new ProbeJoin(evaluator, step, s.table(), watch, next);
            case BuildSide.TooLarge s -> new SpillJoin(evaluator, step, s.chunks(), space(id), watch, next);
        };
    }

    private Outputs.End end(Stage stage, TableSink.TaskWriter writer) {
        return switch (stage.output()) {
            case Output.ToParts parts -> new Outputs.Divide(evaluator, parts, types(stage), store, perStep / 2);
            case Output.ToRuns sorted ->
                new Outputs.Keep(types(stage), store, new RunStarts(evaluator, sorted.keys()), sorted.fine());
            case Output.ToCopies copies -> new Outputs.Keep(types(stage), store);
            case Output.ToResult result -> new Outputs.Keep(types(stage), store);
            case Output.ToSink sink -> {
                if (pipeline.steps().stream().anyMatch(Step.Reduce.class::isInstance)) {
                    // The files of reducers are told apart by their order, so that none may be missing.
                    writer.requireFile();
                }
                yield new Outputs.Write(writer);
            }
        };
    }

    private static List<DataType> types(Stage stage) {
        return stage.schema().fields().stream().map(Field::type).toList();
    }

    private static List<Expression> expressions(List<Named> named) {
        return named.stream().map(Named::expression).toList();
    }

    /**
     * Pushes everything that a reader has through the chain.
     *
     * @return false when the scope says that the task is to stop, which is asked between batches of each step
     */
    public boolean run(BatchReader reader) {
        try {
            pushAll(reader);
            return true;
        } catch (TaskStopped e) {
            return false;
        }
    }

    private void pushAll(BatchReader reader) {
        long start = nanoClock.getAsLong();
        Batch batch = first.wantsMore() ? reader.next() : null;
        sourceNanos += nanoClock.getAsLong() - start;
        while (batch != null) {
            sourceRows += batch.rowCount();
            first.accept(batch);
            start = nanoClock.getAsLong();
            batch = first.wantsMore() ? reader.next() : null;
            sourceNanos += nanoClock.getAsLong() - start;
        }
        first.finish();
    }

    public TaskResult result() {
        return end.result();
    }

    /** What each step did, by its id. */
    public Map<Integer, StepMetrics> metrics(long sourceBytes) {
        Map<Integer, StepMetrics> all = new LinkedHashMap<>();
        // A merge takes its rows where they are; those that it passes on are those that came.
        boolean merges = pipeline.source() instanceof Source.Runs;
        long read = merges ? merged() : sourceRows;
        all.put(pipeline.sourceId(), new StepMetrics(read, sourceBytes, sourceNanos));
        for (int i = 0; i < meters.size(); i++) {
            Meter meter = meters.get(i);
            long behind = i + 1 < meters.size() ? meters.get(i + 1).nanos() : 0;
            long bytes = meter.stepId == outputId ? end.bytes() : 0;
            long rows = merges && i == 0 ? read : meter.rows();
            StepMetrics did = new StepMetrics(rows, bytes, meter.nanos() - behind);
            all.put(meter.stepId, did.plus(meter.stepId == outputId ? end.spilled() : spilled(meter.stepId)));
        }
        return all;
    }

    private StepMetrics spilled(int step) {
        StepSpace space = spaces.get(step);
        return space == null ? StepMetrics.NONE : StepMetrics.spilled(space.spilledBytes(), space.spillNanos());
    }

    private long merged() {
        return merging == null ? meters.get(1).rows() : merging.rowsRead();
    }

    /** Gives the memory and files of all steps back; what the output kept stays unless the task has no result. */
    public void close(boolean succeeded) {
        closeOwnCode();
        spaces.values().forEach(StepSpace::close);
        if (!succeeded && store != null) {
            store.close();
        }
    }

    private void closeOwnCode() {
        for (Runnable closer : closers) {
            try {
                closer.run();
            } catch (RuntimeException e) {
                LOG.warn("code of the job failed while it was closed", e);
            }
        }
        closers.clear();
    }
}
