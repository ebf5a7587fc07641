package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.OptionalLong;
import java.util.SequencedMap;
import java.util.Set;
import java.util.TreeSet;
import org.unimeros.engine.data.Schema;

/**
 * Pipelines that run without waiting for one another, and what becomes of their rows. Sources, steps and the output have numbers in the plan, by
 * which their figures are reported.
 *
 * @param outputId the number of the output, which is the last one of the stage
 * @param schema the columns that the output gets
 * @param expected what the stage is expected to make
 * @param rowsWanted when the first tasks, in order, have made so many rows, the others are not needed
 */
public record Stage(
        int id,
        List<Pipeline> pipelines,
        Output output,
        int outputId,
        Schema schema,
        Estimate expected,
        OptionalLong rowsWanted)
        implements Serializable {

    /**
     * A source and what is done with its batches.
     *
     * @param sourceId the number of the source; those of the steps follow
     * @param when what must hold for the pipeline to have tasks; of two ways to do the same, one has
     */
    public record Pipeline(int sourceId, Source source, List<Step> steps, List<When> when) implements Serializable {
        public Pipeline {
            steps = List.copyOf(steps);
            when = List.copyOf(when);
        }

        /** A pipeline that is to be numbered by its stage. */
        public Pipeline(Source source, List<Step> steps) {
            this(0, source, steps, List.of());
        }

        /** The number of a step in the plan. */
        public int stepId(int step) {
            return sourceId + 1 + step;
        }

        /** The numbers of its joins in the plan, with the joins in their order. */
        public SequencedMap<Integer, Step.Probe> joins() {
            SequencedMap<Integer, Step.Probe> joins = new LinkedHashMap<>();
            for (int s = 0; s < steps.size(); s++) {
                if (steps.get(s) instanceof Step.Probe probe) {
                    joins.put(stepId(s), probe);
                }
            }
            return joins;
        }

        private Pipeline numbered(int first) {
            return new Pipeline(first, source, steps, when);
        }

        /** The same, saying of its parts that they stay whole where they must. */
        Pipeline settled() {
            boolean staysWhole = source instanceof Source.Parts parts
                    && parts.use() == Source.Use.BALANCED
                    && Cutting.of(this).isNone();
            return staysWhole
                    ? new Pipeline(sourceId, new Source.Parts(((Source.Parts) source).stage()), steps, when)
                    : this;
        }
    }

    /** A question that what is known of finished stages answers. */
    public sealed interface When extends Serializable {

        /** The stages that must be finished before it can be answered. */
        default List<Integer> stagesRead() {
            return List.of();
        }

        /** Did a stage make at most so many bytes, or more? */
        record Size(int stage, long bytes, boolean isSmall) implements When {
            @Override
            public List<Integer> stagesRead() {
                return List.of(stage);
            }

            @Override
            public String toString() {
                return "if stage " + stage + " made " + (isSmall ? "at most " : "more than ") + Sizes.bytes(bytes);
            }
        }

        /** Is a part that the pipeline reads too large for one task? */
        record Uneven() implements When {
            @Override
            public String toString() {
                return "if a part is too large for one task";
            }
        }

        /** Did a stage have tasks? */
        record Ran(int stage, boolean hasTasks) implements When {
            @Override
            public List<Integer> stagesRead() {
                return List.of(stage);
            }

            @Override
            public String toString() {
                return "if stage " + stage + (hasTasks ? " had" : " had no") + " tasks";
            }
        }
    }

    public Stage {
        pipelines = List.copyOf(pipelines);
    }

    /** A stage whose sources, steps and output get numbers from {@code first} on. */
    public static Stage numbered(
            int id,
            int first,
            List<Pipeline> pipelines,
            Output output,
            Schema schema,
            Estimate expected,
            OptionalLong rowsWanted) {
        List<Pipeline> numbered = new ArrayList<>();
        int next = first;
        for (Pipeline pipeline : pipelines) {
            numbered.add(pipeline.numbered(next));
            next = numbered.getLast().stepId(pipeline.steps().size());
        }
        return new Stage(id, numbered, output, next, schema, expected, rowsWanted);
    }

    /** Whether a task that is run again makes its rows in the same order, however much memory it has then. */
    public boolean hasFixedOrder() {
        return pipelines.stream()
                .allMatch(pipeline -> pipeline.source().stagesRead().isEmpty()
                        && pipeline.steps().stream().noneMatch(s -> s.holdsRows() || isElsewhere(s)));
    }

    /** Steps that read other rows than those that come by, or run code of which nothing is known. */
    private static boolean isElsewhere(Step step) {
        return !step.stagesRead().isEmpty() || step instanceof Step.Apply;
    }

    /** The stages that must be finished before this one starts. */
    public List<Integer> dependencies() {
        Set<Integer> all = new TreeSet<>();
        for (Pipeline pipeline : pipelines) {
            all.addAll(pipeline.source().stagesRead());
            pipeline.steps().forEach(step -> all.addAll(step.stagesRead()));
            pipeline.when().forEach(when -> all.addAll(when.stagesRead()));
        }
        return List.copyOf(all);
    }
}
