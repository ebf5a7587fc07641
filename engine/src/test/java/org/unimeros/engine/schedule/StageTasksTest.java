package org.unimeros.engine.schedule;

import static org.junit.jupiter.api.Assertions.assertEquals;
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
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.schedule.TaskInput.Rows;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
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
        sized(2, 9000, 400, 300, 200, 0, 900, 0);
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
}
