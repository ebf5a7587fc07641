package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;

/**
 * A physical plan for those who look at runs: which stages there are, what they read, and how each of their steps reads. It travels with the events
 * of a run and is kept in its record.
 *
 * @param stages in an order in which they can run
 */
public record PlanOutline(List<StageOutline> stages) implements Serializable {

    public PlanOutline {
        stages = List.copyOf(stages);
    }

    /**
     * A stage.
     *
     * @param reads the stages whose rows it reads
     * @param expectedRows rows that it is expected to make; -1 where that is not known
     * @param expectedBytes the same in bytes
     */
    public record StageOutline(
            int id,
            List<Integer> reads,
            Node output,
            List<PipelineOutline> pipelines,
            long expectedRows,
            long expectedBytes)
            implements Serializable {
        public StageOutline {
            reads = List.copyOf(reads);
            pipelines = List.copyOf(pipelines);
        }
    }

    /**
     * A pipeline of a stage.
     *
     * @param conditions what must hold for it to have tasks
     * @param steps in the order in which rows go through them
     */
    public record PipelineOutline(List<String> conditions, Node source, List<Node> steps) implements Serializable {
        public PipelineOutline {
            conditions = List.copyOf(conditions);
            steps = List.copyOf(steps);
        }
    }

    /**
     * A source, step or output.
     *
     * @param id by which its figures are reported
     * @param kind which of them it is, in a word such as {@code partial-group}; empty where a record does not say it
     * @param text how it reads
     */
    public record Node(int id, String kind, String text) implements Serializable {

        private static final Set<String> OWN = Set.of("apply", "combine", "reduce");

        /** Whether code of the job runs in it. */
        public boolean isOwnCode() {
            return OWN.contains(kind);
        }
    }

    /** What a line of a printed plan stands for. */
    public enum Role {
        STAGE,
        /** When the pipeline behind it is the one that is taken. */
        CONDITION,
        OUTPUT,
        STEP,
        SOURCE
    }

    /**
     * One line of a printed plan.
     *
     * @param id that of a stage, or of a step, output or source
     * @param next the step or output that takes what this one makes; -1 where there is none, or where others add to what it takes
     */
    public record Line(String text, Role role, int id, int next) {

        Line(String text, Role role) {
            this(text, role, -1, -1);
        }
    }

    /** The plan as data flows: stages in the order in which they can run, in each the source first and the output last. */
    public List<Line> lines() {
        List<Line> lines = new ArrayList<>();
        for (StageOutline stage : stages) {
            lines.add(new Line("stage " + stage.id(), Role.STAGE, stage.id(), -1));
            boolean isOne = stage.pipelines().size() == 1;
            for (PipelineOutline pipeline : stage.pipelines()) {
                add(pipeline, isOne ? "  " : "  + ", isOne ? stage.output().id() : -1, lines);
            }
            lines.add(new Line(
                    "  " + stage.output().text(), Role.OUTPUT, stage.output().id(), -1));
        }
        return lines;
    }

    /** @param first what the first line begins with; the others are as far to the right */
    private static void add(PipelineOutline pipeline, String first, int output, List<Line> lines) {
        String indent = first;
        String others = " ".repeat(first.length());
        for (String condition : pipeline.conditions()) {
            lines.add(new Line(indent + condition, Role.CONDITION));
            indent = others;
        }
        Node node = pipeline.source();
        Role role = Role.SOURCE;
        for (Node step : pipeline.steps()) {
            lines.add(new Line(indent + node.text(), role, node.id(), step.id()));
            indent = others;
            node = step;
            role = Role.STEP;
        }
        lines.add(new Line(indent + node.text(), role, node.id(), output));
    }
}
