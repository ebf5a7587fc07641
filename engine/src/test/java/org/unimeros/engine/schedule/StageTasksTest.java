package org.unimeros.engine.schedule;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.join.PairGuard;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.schedule.Measured.Made;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.schedule.TaskInput.Place;
import org.unimeros.engine.schedule.TaskInput.Rows;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.StagePlanner;

/** What tasks a stage gets depends on the sizes of earlier ones alone. */
class StageTasksTest {

    private static final int PARTS = 6;

    private final Measured made = mock(Measured.class);
    private final PhysicalPlan plan = StagePlanner.forResult(join(), new PlanSettings(1 << 20, 100, PARTS));
    private final int last = plan.stages().size();
    private final StageTasks tasks = new StageTasks(plan, 1000, made, new PairGuard(1 << 20, false), warning -> {});

    private static Plan scan(String name, int rows) {
        List<List<Object>> data =
                IntStream.range(0, rows).mapToObj(i -> List.<Object>of(i)).toList();
        return PlanBuilder.scan(
                new TestTable(name, Schema.of(Field.of("parcel_id", DataType.INT)), data, 100, 16), name);
    }

    /** The side of depots may turn out small. */
    private static Plan join() {
        Plan scans = scan("scans", 1000);
        Plan depots = scan("depots", 50);
        Schema both = scans.schema().concat(depots.schema());
        return PlanBuilder.join(
                scans,
                depots,
                Plan.JoinKind.INNER,
                Plan.JoinMethod.AUTOMATIC,
                Operators.compare("=", PlanBuilder.column(both, 0), PlanBuilder.column(both, 1)));
    }

    private void sized(int stage, long bytes, long... ofParts) {
        when(made.bytes(stage)).thenReturn(bytes);
        doAnswer(call -> {
                    long[] sums = call.getArgument(1);
                    for (int p = 0; p < ofParts.length; p++) {
                        sums[p] += ofParts[p];
                    }
                    return null;
                })
                .when(made)
                .addBytes(eq(stage), any());
    }

    private List<TaskInput> inputs(int stage) {
        int count = tasks.prepare(stage);
        return IntStream.range(0, count)
                .mapToObj(task -> tasks.input(new AttemptId(stage, task, 0)))
                .toList();
    }

    @Test
    void aSideThatTurnsOutSmallIsReadWholeByEveryTaskOfTheOther() {
        sized(1, 100);
        assertEquals(0, tasks.prepare(2), "nothing is shuffled");
        List<TaskInput> inputs = inputs(last);
        assertEquals(10, inputs.size(), "a task for each split");
        for (int task = 0; task < inputs.size(); task++) {
            assertEquals(new Rows.OfSplit(task), inputs.get(task).rows());
            assertEquals(List.of(new Rows.OfAll(1)), inputs.get(task).sides());
        }
    }

    @Test
    void smallPartsOfBothSidesArePutTogether() {
        sized(1, 101, 500, 100, 0, 0, 900, 100);
        sized(2, 9000, 400, 300, 200, 0, 300, 0);
        assertEquals(10, tasks.prepare(2));
        List<TaskInput> inputs = inputs(last);
        List<PartRange> ranges = inputs.stream()
                .map(input -> ((Rows.OfParts) input.rows()).parts())
                .toList();
        assertEquals(0, ranges.get(0).from());
        assertEquals(PARTS, ranges.getLast().end());
        for (int i = 1; i < ranges.size(); i++) {
            assertEquals(ranges.get(i - 1).end(), ranges.get(i).from());
        }
        assertTrue(ranges.size() > 2 && ranges.size() < PARTS, ranges.toString());
        for (TaskInput input : inputs) {
            PartRange parts = ((Rows.OfParts) input.rows()).parts();
            assertEquals(List.of(new Rows.OfParts(1, parts)), input.sides());
        }
        assertEquals(ranges.get(0).toString(), tasks.describeInput(new AttemptId(last, 0, 0)));
    }

    /** Both sides are large; part 2 of the scans is far larger than a task should read. */
    private void hotPart(Made... ofPart) {
        sized(1, 2_000, 100, 100, 200, 100, 100, 100);
        sized(2, 90_000, 400, 300, 5_000, 100, 100, 100);
        when(made.made(2, 2)).thenReturn(List.of(ofPart));
    }

    private List<Rows> cut() {
        return inputs(last).stream()
                .map(TaskInput::rows)
                .filter(Rows.OfPiece.class::isInstance)
                .toList();
    }

    @Test
    void aLargePartIsCutAtAnyRowAndTheOtherSideReadByEachPiece() {
        hotPart(new Made(0, 700), new Made(3, 300));
        List<TaskInput> inputs = inputs(last);
        List<TaskInput> pieces =
                inputs.stream().filter(i -> i.rows() instanceof Rows.OfPiece).toList();
        assertEquals(7, pieces.size(), pieces.toString());
        Rows.OfPiece before = null;
        for (TaskInput input : pieces) {
            assertEquals(List.of(new Rows.OfParts(1, new PartRange(2, 3))), input.sides());
            Rows.OfPiece piece = (Rows.OfPiece) input.rows();
            assertEquals(before == null ? new Place(0, 0) : before.end(), piece.from());
            before = piece;
        }
        assertEquals(Place.END, before.end());
        assertEquals(new Place(0, 142), ((Rows.OfPiece) pieces.get(0).rows()).end());
        assertEquals(List.of("part 2 is cut into 7 pieces"), tasks.decisions());
        assertTrue(
                inputs.get(1).describe(plan).equals("part 2, piece 1 of 7"),
                inputs.get(1).describe(plan));
        assertTrue(inputs.stream().anyMatch(i -> i.rows().equals(new Rows.OfParts(2, new PartRange(0, 2)))));
    }

    @Test
    void aPartThatOneTaskMadeIsCutToo() {
        hotPart(new Made(4, 1_000));
        assertTrue(cut().size() > 4);
    }

    /** A group-by before may make its rows in another order when a worker is lost and it runs again. */
    @Test
    void whereRowsMayComeInAnotherOrderAPieceHasAllThatATaskMade() {
        Plan scans = scan("scans", 1000);
        Plan groups =
                new Plan.Group(scans, List.of(Plan.Named.of("id", PlanBuilder.column(scans.schema(), 0))), List.of());
        Plan depots = scan("depots", 5000);
        Schema both = depots.schema().concat(groups.schema());
        Plan lists = PlanBuilder.join(
                depots,
                groups,
                Plan.JoinKind.LEFT,
                Plan.JoinMethod.SHUFFLED,
                Operators.compare("=", PlanBuilder.column(both, 0), PlanBuilder.column(both, 1)));
        Schema more = lists.schema().concat(scans.schema());
        Plan plan = PlanBuilder.join(
                lists,
                scans,
                Plan.JoinKind.LEFT,
                Plan.JoinMethod.SHUFFLED,
                Operators.compare("=", PlanBuilder.column(more, 1), PlanBuilder.column(more, 2)));
        PhysicalPlan stages = StagePlanner.forResult(plan, new PlanSettings(1 << 20, 100, PARTS));
        int end = stages.stages().size();
        Stage.Pipeline pipeline = stages.stage(end).pipelines().get(0);
        int read = ((Source.Parts) pipeline.source()).stage();
        assertFalse(stages.stage(read).hasFixedOrder(), stages.print());
        sized(read, 90_000, 400, 300, 5_000, 100, 100, 100);
        when(made.made(read, 2)).thenReturn(List.of(new Made(0, 700), new Made(3, 100), new Made(4, 200)));
        StageTasks divided = new StageTasks(stages, 1000, made, new PairGuard(1 << 20, false), warning -> {});
        List<Rows> pieces = IntStream.range(0, divided.prepare(end))
                .mapToObj(task -> divided.input(new AttemptId(end, task, 0)).rows())
                .filter(Rows.OfPiece.class::isInstance)
                .toList();
        assertEquals(
                List.of(
                        new Rows.OfPiece(read, 2, new Place(0, 0), new Place(1, 0), 1, 3),
                        new Rows.OfPiece(read, 2, new Place(1, 0), new Place(4, 0), 2, 3),
                        new Rows.OfPiece(read, 2, new Place(4, 0), Place.END, 3, 3)),
                pieces);
    }
}
