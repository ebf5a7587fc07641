package org.unimeros.engine.schedule;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.function.Consumer;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.join.PairGuard;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.schedule.PartTasks.Reads;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.schedule.TaskInput.Rows;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/**
 * Divides stages into tasks, by the sizes of what earlier ones made and by nothing else, so that the same run is divided in the same way wherever
 * it is driven. Used by the driving thread.
 */
public final class StageTasks {

    private final PhysicalPlan plan;
    private final long targetPartBytes;
    private final PairGuard pairs;
    private final Consumer<String> warn;
    private final Measured made;
    private final PartTasks parts;
    private final Map<Integer, List<TaskInput>> inputs = new HashMap<>();
    private final List<String> decisions = new ArrayList<>();

    /**
     * @param targetPartBytes what a task should read: small parts are put together, and large ones cut; 0 for a task for each part
     * @param made what is measured of finished stages
     * @param pairs looks at joins that are about to begin
     */
    public StageTasks(PhysicalPlan plan, long targetPartBytes, Measured made, PairGuard pairs, Consumer<String> warn) {
        this.plan = plan;
        this.targetPartBytes = targetPartBytes;
        this.made = made;
        this.pairs = pairs;
        this.warn = warn;
        this.parts = new PartTasks(plan, made, targetPartBytes);
    }

    /**
     * Makes the tasks of a stage, whose dependencies are finished; returns their number.
     *
     * @throws BadData when the stage must not begin
     */
    public int prepare(int stageId) {
        Stage stage = plan.stage(stageId);
        List<TaskInput> tasks = new ArrayList<>();
        decisions.clear();
        for (int p = 0; p < stage.pipelines().size(); p++) {
            Stage.Pipeline pipeline = stage.pipelines().get(p);
            if (pipeline.when().stream().allMatch(this::holds)) {
                List<Reads> all = readsOfTasks(pipeline);
                if (!all.isEmpty()) {
                    expectPairs(pipeline);
                }
                for (Reads reads : all) {
                    tasks.add(new TaskInput(stageId, p, reads.rows(), sides(pipeline, reads)));
                }
            }
        }
        inputs.put(stageId, tasks);
        return tasks.size();
    }

    /** What goes through each task of a pipeline. */
    private List<Reads> readsOfTasks(Stage.Pipeline pipeline) {
        return switch (pipeline.source()) {
            case Source.Table table ->
                IntStream.range(0, table.plan().splits().size())
                        .mapToObj(split -> new Reads(new Rows.OfSplit(split), null))
                        .toList();
            case Source.Given given -> List.of(new Reads(new Rows.Given(), null));
            case Source.Runs sorted ->
                made.sorted(sorted.stage(), sorted.keys()).ranges(sorted.cut(), targetPartBytes).stream()
                        .map(range -> new Reads(new Rows.OfRange(sorted.stage(), range), null))
                        .toList();
            case Source.Parts parts -> readsOfParts(pipeline, parts);
        };
    }

    private List<Reads> readsOfParts(Stage.Pipeline pipeline, Source.Parts source) {
        if (source.use() == Source.Use.APART) {
            int count = ((Output.ToParts) plan.stage(source.stage()).output()).parts();
            return IntStream.range(0, count)
                    .mapToObj(p -> new Reads(new Rows.OfParts(source.stage(), new PartRange(p, p + 1)), null))
                    .toList();
        }
        PartTasks.Divided divided = parts.divide(pipeline, source);
        boolean wantsCuts = pipeline.when().stream().anyMatch(Stage.When.Uneven.class::isInstance);
        if (wantsCuts && !divided.isCut()) {
            return List.of();
        }
        decisions.addAll(divided.decisions());
        return divided.tasks();
    }

    /** The other sides of the joins of a task: all of it where it is copied, else the parts that belong to those that go through. */
    private static List<Rows> sides(Stage.Pipeline pipeline, Reads reads) {
        List<Rows> sides = new ArrayList<>();
        for (Step.Probe join : pipeline.joins().values()) {
            boolean isCut = reads.side() != null && join == pipeline.steps().get(0);
            sides.add(
                    join.copied()
                            ? new Rows.OfAll(join.buildStage())
                            : isCut ? reads.side() : new Rows.OfParts(join.buildStage(), reads.parts()));
        }
        return sides;
    }

    private void expectPairs(Stage.Pipeline pipeline) {
        pipeline.joins().forEach((id, join) -> {
            // Rows that have gone through another step first are not those that were counted.
            boolean isFirst = pipeline.steps().get(0) == join;
            if (isFirst && !join.copied() && pipeline.source() instanceof Source.Parts parts) {
                pairs.expect(
                        id,
                        join,
                        KeySketch.merged(made.sketches(parts.stage())),
                        KeySketch.merged(made.sketches(join.buildStage())),
                        warn);
            }
        });
        expectAllPairs(pipeline);
    }

    /** Rows of a first join without keys, which looks at all pairs, where nothing before it leaves rows out. */
    private void expectAllPairs(Stage.Pipeline pipeline) {
        if (pipeline.joins().isEmpty()) {
            return;
        }
        Map.Entry<Integer, Step.Probe> first = pipeline.joins().firstEntry();
        Step.Probe join = first.getValue();
        boolean allComeBy = pipeline.steps().stream().takeWhile(s -> s != join).allMatch(Step.Select.class::isInstance);
        OptionalLong rows = rows(pipeline.source());
        if (allComeBy && join.probeKeys().isEmpty() && rows.isPresent()) {
            pairs.expectAll(first.getKey(), join, rows.getAsLong(), made.rows(join.buildStage()), warn);
        }
    }

    /** How many rows a source has, where that is known. */
    private OptionalLong rows(Source source) {
        return switch (source) {
            case Source.Table table -> {
                boolean isKnown = table.plan().open().isEmpty() && table.plan().estimatedRows() >= 0;
                yield isKnown ? OptionalLong.of(table.plan().estimatedRows()) : OptionalLong.empty();
            }
            case Source.Given given ->
                OptionalLong.of(
                        given.batches().stream().mapToLong(Batch::rowCount).sum());
            case Source.Runs sorted -> OptionalLong.of(made.rows(sorted.stage()));
            case Source.Parts parts -> OptionalLong.of(made.rows(parts.stage()));
        };
    }

    private boolean holds(Stage.When when) {
        return switch (when) {
            case Stage.When.Size size -> made.bytes(size.stage()) <= size.bytes() == size.isSmall();
            case Stage.When.Ran ran -> !inputs.get(ran.stage()).isEmpty() == ran.hasTasks();
            // That shows when its parts are divided.
            case Stage.When.Uneven uneven -> true;
        };
    }

    /** What was decided of a stage, in words, when its tasks were made. */
    public List<String> decisions() {
        return List.copyOf(decisions);
    }

    /** Addresses of workers that have what tasks of a stage read, by task. */
    public Map<Integer, String> places(int stageId) {
        Map<Integer, String> places = new HashMap<>();
        List<TaskInput> tasks = inputs.get(stageId);
        for (int t = 0; t < tasks.size(); t++) {
            TaskInput input = tasks.get(t);
            Source source =
                    plan.stage(stageId).pipelines().get(input.pipeline()).source();
            if (input.rows() instanceof Rows.OfSplit of && source instanceof Source.Table table) {
                String place = table.plan().splits().get(of.split()).place();
                if (!place.isEmpty()) {
                    places.put(t, place);
                }
            }
        }
        return places;
    }

    public TaskInput input(AttemptId attempt) {
        return inputs.get(attempt.stage()).get(attempt.task());
    }

    public String describeInput(AttemptId attempt) {
        return input(attempt).describe(plan);
    }
}
