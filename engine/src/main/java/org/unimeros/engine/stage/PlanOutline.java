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

    /** One line of a printed plan; {@code id} is that of a stage, or of a step, output or source. */
    public record Line(String text, Role role, int id) {}

    /** The plan, last stage first; within a stage the output first and the source last. */
    public List<Line> lines() {
        List<Line> lines = new ArrayList<>();
        for (StageOutline stage : stages.reversed()) {
            lines.add(new Line("stage " + stage.id(), Role.STAGE, stage.id()));
            lines.add(line("  ", stage.output(), Role.OUTPUT));
            for (PipelineOutline pipeline : stage.pipelines()) {
                String indent = stage.pipelines().size() == 1 ? "    " : "  + ";
                for (String condition : pipeline.conditions()) {
                    lines.add(new Line(indent + condition, Role.CONDITION, 0));
                    indent = "    ";
                }
                for (Node step : pipeline.steps().reversed()) {
                    lines.add(line(indent, step, Role.STEP));
                    indent = "    ";
                }
                lines.add(line(indent, pipeline.source(), Role.SOURCE));
            }
        }
        return lines;
    }

    private static Line line(String indent, Node node, Role role) {
        return new Line(indent + node.text(), role, node.id());
    }
}
