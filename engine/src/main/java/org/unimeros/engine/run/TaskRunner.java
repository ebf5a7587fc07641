package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.LongSupplier;
import org.unimeros.engine.chain.TaskChain;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.join.BuildSide;
import org.unimeros.engine.join.JoinTable;
import org.unimeros.engine.join.PairGuard;
import org.unimeros.engine.key.JointWork;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.own.HeldPieces;
import org.unimeros.engine.own.JobFiles;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.TaskInput;
import org.unimeros.engine.schedule.TaskInput.Rows;
import org.unimeros.engine.sort.SortedRuns;
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

/** Runs the attempts of one run in this process, and keeps what they share. Thread-safe. */
public final class TaskRunner {

    /** What an attempt made, the figures of its steps, and what it took. */
    public record Done(TaskResult result, Map<Integer, StepMetrics> steps, AttemptUse use) {}

    private final PhysicalPlan plan;
    private final Workspace workspace;
    private final PairGuard pairs;
    private final Consumer<String> warn;
    private final LongSupplier nanoClock;
    private final Exchange exchange;
    private final JobFiles files;
    private final HeldPieces held;
    private final Map<Integer, SharedSide> copies = new ConcurrentHashMap<>();
    private final Map<Integer, Long> copiedBytes = new ConcurrentHashMap<>();

    /**
     * @param exchange what earlier stages made, there before an attempt that reads it is run
     * @param files what the job brings along
     * @param held rows that are held for repeated questions
     */
    public TaskRunner(
            PhysicalPlan plan,
            Workspace workspace,
            Exchange exchange,
            PairGuard pairs,
            LongSupplier nanoClock,
            Consumer<String> warn,
            JobFiles files,
            HeldPieces held) {
        this.held = held;
        this.files = files;
        this.plan = plan;
        this.workspace = workspace;
        this.exchange = exchange;
        this.pairs = pairs;
        this.nanoClock = nanoClock;
        this.warn = warn;
    }

    /** Begins to measure an attempt. */
    AttemptMeter meter() {
        return new AttemptMeter(nanoClock);
    }

    /**
     * Runs one attempt in the calling thread.
     *
     * @throws RunCancelledException when it is cancelled
     * @throws LostInputException when what it reads is not there any more
     */
    Done run(AttemptId attempt, TaskInput input, BooleanSupplier cancelled, AttemptLog log, AttemptMeter meter) {
        Stage stage = plan.stage(attempt.stage());
        Stage.Pipeline pipeline = stage.pipelines().get(input.pipeline());
        Split split = split(pipeline.source(), input.rows());
        TaskScope scope = new TaskScope(
                attempt.stage(),
                attempt.task(),
                attempt.attempt(),
                input.describe(plan),
                log.counters(),
                files,
                cancelled,
                held,
                0);
        log.enter(scope);
        TaskWriter writer = stage.output() instanceof Output.ToSink toSink
                ? toSink.sink().open(attempt.task(), attempt.attempt(), scope)
                : null;
        boolean finished = false;
        TaskChain chain = null;
        try (BatchReader reader = reader(pipeline.source(), split, input.rows(), log)) {
            List<BuildSide> sides = sides(pipeline, input, scope);
            meter.hasSides();
            chain = new TaskChain(
                    stage,
                    input.pipeline(),
                    sides,
                    runs(pipeline.source(), input.rows()),
                    writer,
                    workspace,
                    nanoClock,
                    (id, join) -> pairs.watch(id, join, warn),
                    scope);
            // Code of the job that was asked to stop may have left things out.
            if (!chain.run(reader) || cancelled.getAsBoolean()) {
                throw new RunCancelledException("no longer needed");
            }
            finished = true;
            return new Done(chain.result(), chain.metrics(split == null ? 0 : split.bytes()), meter.use());
        } finally {
            if (chain != null) {
                chain.close(finished);
            }
            if (!finished && writer != null) {
                writer.abort();
            }
        }
    }

    /** The split that a task reads; null where it reads none. */
    private static Split split(Source source, Rows rows) {
        return source instanceof Source.Table table && rows instanceof Rows.OfSplit of
                ? table.plan().splits().get(of.split())
                : null;
    }

    private BatchReader reader(Source source, Split split, Rows rows, ReadContext context) {
        if (source instanceof Source.Given given) {
            return new ListReader(given.batches().stream().map(Chunk::inMemory).toList());
        }
        return split != null ? split.open(context) : new ListReader(chunks(rows));
    }

    /** What comes by itself; sorted rows come where they are merged. */
    private List<Chunk> chunks(Rows rows) {
        return switch (rows) {
            case Rows.OfParts of -> exchange.chunks(of.stage(), of.parts());
            case Rows.OfPiece of -> exchange.chunks(of);
            default -> List.of();
        };
    }

    private List<SortedRuns.Piece> runs(Source source, Rows rows) {
        return source instanceof Source.Runs sorted && rows instanceof Rows.OfRange of
                ? exchange.pieces(of.stage(), sorted.keys(), of.range())
                : List.of();
    }

    private List<BuildSide> sides(Stage.Pipeline pipeline, TaskInput input, TaskScope scope) {
        List<BuildSide> sides = new ArrayList<>();
        pipeline.joins()
                .forEach((id, join) -> sides.add(side(id, join, input.sides().get(sides.size()), scope)));
        return sides;
    }

    private BuildSide side(int id, Step.Probe join, Rows rows, TaskScope scope) {
        if (rows instanceof Rows.OfAll) {
            return shared(id, join, scope);
        }
        List<Chunk> chunks = chunks(rows);
        boolean fits = JoinTable.bytesFor(chunks) <= workspace.perTask() / 2;
        return fits ? built(join, chunks, scope) : new BuildSide.TooLarge(chunks);
    }

    /** One table for all tasks, made by the first of them that needs it. Should that one fail, the next one tries. */
    private BuildSide shared(int id, Step.Probe probe, TaskScope scope) {
        SharedSide mine = new SharedSide();
        for (SharedSide other = copies.putIfAbsent(id, mine); other != null; other = copies.putIfAbsent(id, mine)) {
            BuildSide made = other.help();
            if (made != null) {
                return made;
            }
        }
        BuildSide made = null;
        try {
            made = copied(id, probe, scope, mine.work());
            mine.set(made);
            return made;
        } finally {
            if (made == null) {
                copies.remove(id, mine);
                mine.giveUp();
            }
        }
    }

    /** Where there is no memory for the table, every task reads the rows piece by piece. */
    private BuildSide copied(int id, Step.Probe probe, TaskScope scope, JointWork work) {
        int parts = plan.stage(probe.buildStage()).output() instanceof Output.ToParts divided ? divided.parts() : 1;
        List<Chunk> chunks = exchange.allChunks(probe.buildStage(), parts);
        long bytes = JoinTable.bytesFor(chunks);
        if (!workspace.copies().tryReserve(bytes)) {
            return new BuildSide.TooLarge(chunks);
        }
        boolean isMade = false;
        try (Evaluator evaluator = new Evaluator(scope)) {
            JoinTable table = JoinTable.buildForMany(chunks, probe.buildSchema(), probe.buildKeys(), evaluator, work);
            copiedBytes.put(id, bytes);
            isMade = true;
            return new BuildSide.InMemory(table);
        } finally {
            if (!isMade) {
                workspace.copies().release(bytes);
            }
        }
    }

    private static BuildSide built(Step.Probe probe, List<Chunk> chunks, TaskScope scope) {
        try (Evaluator evaluator = new Evaluator(scope)) {
            return new BuildSide.InMemory(JoinTable.build(chunks, probe.buildSchema(), probe.buildKeys(), evaluator));
        }
    }

    /** Lets go of what only the tasks of a stage shared. */
    public void stageFinished(int stageId) {
        for (Stage.Pipeline pipeline : plan.stage(stageId).pipelines()) {
            for (int id : pipeline.joins().keySet()) {
                copies.remove(id);
                Long bytes = copiedBytes.remove(id);
                if (bytes != null) {
                    workspace.copies().release(bytes);
                }
            }
        }
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
