package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicReference;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.fault.ScriptedTable;
import org.unimeros.engine.fault.ScriptedTable.Deed;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.run.BadRecordKeeper;
import org.unimeros.engine.run.HeldRun;
import org.unimeros.engine.run.LocalRunner;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.run.Runner;
import org.unimeros.engine.source.HeldTable;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.storage.scratch.ScratchFolder;

/** What whoever asks for a run can rely on, wherever it is carried out. */
@Timeout(120)
class RunnerContractTest {

    private static final String PER_DEPOT =
            "select depot, count(*), sum(parcel) from scans group by depot order by depot";

    @TempDir
    static Path shared;

    private static TestCluster cluster;

    @TempDir
    Path folder;

    /** Of the runs of a test, in order. */
    private final List<RunEvent> events = new ArrayList<>();

    /** Where runs are carried out. */
    enum Where {
        HERE,
        ON_WORKERS
    }

    @BeforeAll
    static void start() {
        cluster = new TestCluster(shared, 2);
    }

    @BeforeEach
    void refresh() {
        cluster.refresh(2);
    }

    @AfterAll
    static void end() {
        cluster.close();
    }

    private PhysicalPlan plan(Deed deed) {
        Map<String, Plan> tables = Map.of("scans", new ScriptedTable(4, 1_000, 2, deed, 200, folder).scan());
        return TestCluster.physical(PER_DEPOT, tables);
    }

    private Runner runner(Where where, PhysicalPlan plan, RunListener listener) {
        RunListener both = event -> {
            events.add(event);
            listener.happened(event);
        };
        return where == Where.ON_WORKERS
                ? cluster.runner(plan, both)
                : new LocalRunner(
                        plan,
                        TestCluster.RUNS,
                        both,
                        InstantSource.system(),
                        System::nanoTime,
                        mock(BadRecordKeeper.class),
                        new ScratchFolder(folder.resolve("scratch")));
    }

    private RunProgress progress() {
        RunProgress progress = new RunProgress();
        events.forEach(progress::happened);
        return progress;
    }

    @ParameterizedTest
    @EnumSource
    void rowsComeInTheOrderThatIsAskedForAndEventsTellTheWholeRun(Where where) {
        PhysicalPlan plan = plan(Deed.NOTHING);
        List<String> rows = TestCluster.rows(plan, runner(where, plan, event -> {}));
        assertEquals(10, rows.size());
        assertEquals("0 400 798000", rows.get(0));
        assertEquals("9 400 801600", rows.get(9));
        assertInstanceOf(RunEvent.RunStarted.class, events.get(0));
        assertInstanceOf(RunEvent.RunEnded.class, events.getLast());
        RunProgress progress = progress();
        assertEquals("done", progress.state());
        assertEquals(10, progress.rows());
        assertEquals(plan.outline(), progress.plan());
        assertEquals(plan.stages().size(), progress.stagesFinished());
        int scan = plan.stage(1).pipelines().get(0).sourceId();
        assertEquals(4_000, progress.step(scan).rows());
        assertEquals(where == Where.ON_WORKERS ? 2 : 0, progress.workers());
        assertEquals(where == Where.ON_WORKERS ? 0 : 2, ((RunEvent.RunStarted) events.get(0)).slots());
        for (RunEvent event : events) {
            if (event instanceof RunEvent.AttemptFinished attempt) {
                assertTrue(
                        attempt.use().nanos() > 0
                                && attempt.use().nanos() >= attempt.use().sides(),
                        attempt.toString());
            } else if (event instanceof RunEvent.PartsMade parts) {
                int output = plan.stage(parts.stage()).outputId();
                assertEquals(
                        progress.step(output).rows(),
                        parts.rows().stream().mapToLong(Long::longValue).sum());
            }
        }
        assertTrue(events.stream().anyMatch(RunEvent.PartsMade.class::isInstance));
    }

    /** Every depot has 400 scans, and each of them meets all of the same depot. */
    @ParameterizedTest
    @EnumSource
    void partsAreCutByThePairsThatTheyMake(Where where) {
        Map<String, Plan> tables = Map.of("scans", new ScriptedTable(4, 1_000, 2, Deed.NOTHING, 200, folder).scan());
        PhysicalPlan plan = TestCluster.physical(
                "select count(*), sum(a.parcel + b.parcel) from scans a join scans b on a.depot = b.depot", tables);
        List<String> rows = TestCluster.rows(plan, runner(where, plan, event -> {}));
        assertEquals(List.of("1600000 6398400000"), rows);
        List<String> decisions = events.stream()
                .filter(RunEvent.StageStarted.class::isInstance)
                .flatMap(event -> ((RunEvent.StageStarted) event).decisions().stream())
                .toList();
        assertTrue(decisions.get(0).matches("part \\d is cut into \\d+ by \\d+ pieces: key .*"), decisions.toString());
    }

    @ParameterizedTest
    @EnumSource
    void aTaskThatAlwaysFailsEndsTheRunAfterItsLastAttempt(Where where) {
        Runner runner = runner(where, plan(Deed.FAIL), event -> {});
        ResourceFailure e = assertThrows(
                ResourceFailure.class, () -> runner.run(TestCluster.newId(), "a run that fails", Map.of()));
        assertEquals(3, e.tries().made());
        assertEquals(3, e.tries().most());
        String place = where == Where.ON_WORKERS ? ", on worker " + e.tries().worker() : "";
        assertTrue(e.getMessage().endsWith(" (attempt 3 of 3" + place + ")"), e.getMessage());
        assertEquals("failed", progress().state());
        assertEquals(e.getMessage(), progress().reason());
    }

    @ParameterizedTest
    @EnumSource
    void aRunThatIsCancelledSaysWhy(Where where) {
        AtomicReference<Runner> running = new AtomicReference<>();
        running.set(runner(where, plan(Deed.WAIT), event -> {
            if (event instanceof RunEvent.AttemptStarted) {
                running.get().cancel("the depots have closed");
            }
        }));
        RunCancelledException e = assertThrows(
                RunCancelledException.class, () -> running.get().run(TestCluster.newId(), "a run", Map.of()));
        assertEquals("the depots have closed", e.reason());
        assertEquals("cancelled", progress().state());
    }

    @ParameterizedTest
    @EnumSource
    void rowsThatAreHeldStayUntilTheyAreReleased(Where where) {
        HeldRun held = runner(where, plan(Deed.NOTHING), event -> {}).hold(TestCluster.newId(), "held", Map.of());
        assertEquals(10, held.outcome().rows());
        held.replicate(1);
        assertEquals(10, held.pieces().stream().mapToLong(HeldTable.Piece::rows).sum());
        held.release();
        held.release();
        assertThrows(UserMistake.class, held::pieces);
    }
}
