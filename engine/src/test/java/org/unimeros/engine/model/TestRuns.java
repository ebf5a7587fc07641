package org.unimeros.engine.model;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.run.BadRecordKeeper;
import org.unimeros.engine.run.LocalRunner;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;

/** Runs plans for tests. */
public final class TestRuns {

    /** Enough for every test that is not about memory. */
    public static final long AMPLE_MEMORY = 1 << 30;

    public static final PlanSettings PLAN_SETTINGS = new PlanSettings(1 << 20, 1 << 20, 4);

    /** Keeps bad records in a list. */
    public static final class ListKeeper implements BadRecordKeeper {
        public final List<BadRecord> kept = new ArrayList<>();

        @Override
        public void keep(List<BadRecord> records) {
            kept.addAll(records);
        }

        @Override
        public String place() {
            return "a list";
        }
    }

    private TestRuns() {}

    public static List<List<Object>> rows(Plan plan) {
        return rows(plan, PLAN_SETTINGS, 2, 1 << 20);
    }

    static List<List<Object>> rows(Plan plan, PlanSettings settings, int slots, long partTarget) {
        return rows(plan, settings, slots, partTarget, AMPLE_MEMORY);
    }

    static List<List<Object>> rows(Plan plan, PlanSettings settings, int slots, long partTarget, long memory) {
        PhysicalPlan physical = StagePlanner.forResult(plan, settings);
        RunSettings run = new RunSettings(slots, 3, partTarget, memory, BadRecordPolicy.FAIL, 0);
        MemoryScratch scratch = new MemoryScratch();
        RunOutcome outcome = runner(physical, run, event -> {}, scratch).run("test", "a test", Map.of());
        List<List<Object>> rows = rows(plan.schema(), outcome);
        outcome.workspace().close();
        assertEquals(0, scratch.open(), "scratch files left open");
        return rows;
    }

    public static List<List<Object>> rows(Schema schema, RunOutcome outcome) {
        return TestTable.toRows(
                schema, outcome.chunks().stream().map(Chunk::load).toList());
    }

    public static RunOutcome run(PhysicalPlan plan, RunSettings settings, RunListener listener) {
        return runner(plan, settings, listener).run("test", "a test", Map.of());
    }

    public static LocalRunner runner(PhysicalPlan plan, RunSettings settings, RunListener listener) {
        return runner(plan, settings, listener, new MemoryScratch());
    }

    private static LocalRunner runner(PhysicalPlan plan, RunSettings settings, RunListener listener, Scratch scratch) {
        return new LocalRunner(
                plan,
                settings,
                listener,
                InstantSource.fixed(Instant.EPOCH),
                System::nanoTime,
                new ListKeeper(),
                scratch);
    }

    public static List<RunEvent> events(PhysicalPlan plan, RunSettings settings) {
        List<RunEvent> events = new ArrayList<>();
        run(plan, settings, events::add);
        return events;
    }
}
