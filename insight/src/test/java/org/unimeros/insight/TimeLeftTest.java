package org.unimeros.insight;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;

class TimeLeftTest {

    private static final long MEGABYTE = 1_000_000;

    private final RunProgress run = new RunProgress();

    /** A stage that reads a table or another stage; its nodes are ten and eleven times its number. */
    private static StageOutline stage(int id, List<Integer> reads, long expectedBytes) {
        Node source = new Node(10 * id, reads.isEmpty() ? "table" : "parts", "read");
        return new StageOutline(
                id,
                reads,
                new Node(11 * id, "to-exchange", "shuffle"),
                List.of(new PipelineOutline(List.of(), source, List.of())),
                -1,
                expectedBytes);
    }

    private void begin(StageOutline... stages) {
        run.happened(new RunEvent.RunStarted(0, "r-7", "a run", new PlanOutline(List.of(stages)), Map.of(), 2));
    }

    private void start(int stage, int task, long at) {
        run.happened(new RunEvent.AttemptStarted(at, new AttemptId(stage, task, 0), task, "b.csv"));
    }

    private void finish(int stage, int task, long at, long read, long made) {
        run.happened(new RunEvent.AttemptFinished(
                at,
                new AttemptId(stage, task, 0),
                0,
                1,
                Map.of(10 * stage, new StepMetrics(1, read, 1), 11 * stage, new StepMetrics(1, made, 1)),
                AttemptUse.NONE));
    }

    @Test
    void tasksThatAreLeftTakeWhatThoseBeforeTook() {
        begin(stage(1, List.of(), 100));
        run.happened(new RunEvent.StageStarted(0, 1, 9));
        start(1, 0, 0);
        assertEquals(OptionalLong.empty(), TimeLeft.millis(run), "nothing is done yet");
        finish(1, 0, 2_000, MEGABYTE, MEGABYTE);
        start(1, 1, 2_000);
        start(1, 2, 2_000);
        assertEquals(OptionalLong.of(8_000), TimeLeft.millis(run), "eight tasks of 2 s in two slots");
    }

    @Test
    void whatRanOnALostWorkerRunsNoMore() {
        begin(stage(1, List.of(), 100));
        run.happened(new RunEvent.StageStarted(0, 1, 2));
        run.happened(new RunEvent.WorkerJoined(0, "w1", 1));
        run.happened(new RunEvent.WorkerJoined(0, "w2", 1));
        run.happened(new RunEvent.AttemptStarted(0, new AttemptId(1, 0, 0), "w1", 0, "a.csv"));
        run.happened(new RunEvent.AttemptStarted(0, new AttemptId(1, 1, 0), "w2", 0, "b.csv"));
        run.happened(new RunEvent.WorkerLost(500, "w1", "not heard of for 10 s"));
        assertEquals(1, run.running(1));
        run.happened(new RunEvent.AttemptStarted(600, new AttemptId(1, 0, 1), "w2", 0, "a.csv"));
        assertEquals(2, run.running(1));
        assertEquals(2, run.mostRunning());
    }

    @Test
    void stagesThatHaveNotBegunTakeWhatTheirBytesTookSoFar() {
        begin(stage(1, List.of(), 2 * MEGABYTE), stage(2, List.of(1), MEGABYTE), stage(3, List.of(2), 0));
        run.happened(new RunEvent.StageStarted(0, 1, 2));
        start(1, 0, 0);
        finish(1, 0, 3_000, 3 * MEGABYTE, MEGABYTE);
        start(1, 1, 3_000);
        // 3 s for the task that is left, 2 s for the 2 MB of the second stage, 1 s for that of the third.
        assertEquals(OptionalLong.of(6_000), TimeLeft.millis(run));
        finish(1, 1, 6_000, 3 * MEGABYTE, 4 * MEGABYTE);
        run.happened(new RunEvent.StageFinished(6_000, 1));
        run.happened(new RunEvent.StageStarted(6_000, 2, 1));
        start(2, 0, 6_000);
        assertEquals(OptionalLong.of(6_000), TimeLeft.millis(run), "5 MB that were made and 1 MB that is expected");
    }

    @Test
    void whatIsNotKnownIsNotSaid() {
        begin(stage(1, List.of(), -1), stage(2, List.of(1), -1));
        run.happened(new RunEvent.StageStarted(0, 1, 2));
        start(1, 0, 0);
        finish(1, 0, 3_000, MEGABYTE, MEGABYTE);
        start(1, 1, 3_000);
        assertEquals(OptionalLong.empty(), TimeLeft.millis(run), "nobody knows what the second stage reads");
    }
}
