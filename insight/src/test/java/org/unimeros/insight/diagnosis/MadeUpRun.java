package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;

/** The events of a run that never was: its stages one after the other, each task on the slot that is free first. Nodes have the number of their stage, tenfold, and their place. */
public final class MadeUpRun {

    private final int slots;
    private String title = "made up";
    private final List<StageOutline> stages = new ArrayList<>();
    private final List<RunEvent> events = new ArrayList<>();
    private final Map<Integer, Integer> tasks = new HashMap<>();
    private final Map<String, String> settings = new HashMap<>();
    private long now = 1_000;

    public MadeUpRun(int slots) {
        this.slots = slots;
    }

    /** One task of a stage. */
    public static final class Task {
        private final long millis;
        private String input = "parts 0 to 7";
        private String worker;
        private final Map<Integer, StepMetrics> nodes = new HashMap<>();
        private long cpu;
        private long collector;

        public Task(long millis) {
            this.millis = millis;
            this.cpu = millis;
        }

        public Task reads(String what) {
            input = what;
            return this;
        }

        public Task on(String name) {
            worker = name;
            return this;
        }

        /** What it did in the node at a place; the source is at 0. */
        public Task node(int place, long rows, long millisInIt) {
            return node(place, rows, 0, millisInIt, 0);
        }

        public Task node(int place, long rows, long bytes, long millisInIt, long spilled) {
            nodes.put(place, new StepMetrics(rows, bytes, millisInIt * 1_000_000, spilled, 0));
            return this;
        }

        /** How long a node that spilled took for that. */
        public Task spilling(int place, long millisOfIt) {
            nodes.merge(place, StepMetrics.spilled(0, millisOfIt * 1_000_000), StepMetrics::plus);
            return this;
        }

        public Task cpu(long millisOfCpu) {
            cpu = millisOfCpu;
            return this;
        }

        public Task collector(long millisStopped) {
            collector = millisStopped;
            return this;
        }
    }

    /**
     * Adds a stage to the plan.
     *
     * @param nodes "kind: text" of the source and the steps
     */
    public MadeUpRun plan(int id, List<Integer> reads, String output, String... nodes) {
        List<Node> made = new ArrayList<>();
        for (int i = 0; i < nodes.length; i++) {
            String[] parts = nodes[i].split(": ", 2);
            made.add(new Node(id * 10 + i, parts[0], parts[1]));
        }
        stages.add(new StageOutline(
                id,
                reads,
                new Node(id * 10 + nodes.length, "to-parts", output),
                List.of(new PipelineOutline(List.of(), made.get(0), made.subList(1, made.size()))),
                -1,
                -1));
        return this;
    }

    public MadeUpRun title(String text) {
        title = text;
        return this;
    }

    public MadeUpRun set(String setting, String value) {
        settings.put(setting, value);
        return this;
    }

    public MadeUpRun event(RunEvent event) {
        events.add(event);
        return this;
    }

    public MadeUpRun pause(long millis) {
        now += millis;
        return this;
    }

    public long now() {
        return now;
    }

    public MadeUpRun ran(int stage, Task... all) {
        events.add(new RunEvent.StageStarted(now, stage, all.length));
        long[] free = new long[slots];
        long end = 0;
        for (Task task : all) {
            int slot = 0;
            for (int s = 1; s < slots; s++) {
                slot = free[s] < free[slot] ? s : slot;
            }
            AttemptId attempt = new AttemptId(stage, tasks.merge(stage, 1, Integer::sum) - 1, 0);
            events.add(new RunEvent.AttemptStarted(now + free[slot], attempt, task.worker, slot, task.input));
            free[slot] += task.millis;
            end = Math.max(end, free[slot]);
            Map<Integer, StepMetrics> steps = new HashMap<>();
            task.nodes.forEach((place, m) -> steps.put(stage * 10 + place, m));
            events.add(new RunEvent.AttemptFinished(
                    now + free[slot],
                    attempt,
                    slot,
                    1,
                    steps,
                    new AttemptUse(0, task.millis * 1_000_000, 0, task.cpu * 1_000_000, task.collector * 1_000_000)));
        }
        now += end;
        events.add(new RunEvent.StageFinished(now, stage));
        return this;
    }

    /** All that happened so far. */
    public RunHistory history(boolean isOver) {
        RunHistory history = new RunHistory();
        tell(isOver, history);
        return history;
    }

    /** Tells all that happened so far. */
    public void tell(boolean isOver, RunListener to) {
        to.happened(new RunEvent.RunStarted(1_000, "r-7", title, new PlanOutline(stages), settings, slots));
        events.forEach(to::happened);
        if (isOver) {
            to.happened(new RunEvent.RunEnded(now, "done", null, 42, 0, 0));
        }
    }

    Diagnosis diagnosis() {
        return Diagnosis.of(history(true));
    }
}
