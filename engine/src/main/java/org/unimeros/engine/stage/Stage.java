package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.List;
import java.util.OptionalLong;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.unimeros.engine.data.Schema;

/**
 * Pipelines that run without waiting for one another, and what becomes of their rows.
 *
 * @param schema the columns that the output gets
 * @param expected what the stage is expected to make
 * @param rowsWanted when the first tasks, in order, have made so many rows, the others are not needed
 */
public record Stage(
        int id, List<Pipeline> pipelines, Output output, Schema schema, Estimate expected, OptionalLong rowsWanted)
        implements Serializable {

    /**
     * A source and what is done with its batches.
     *
     * @param when what must hold for the pipeline to have tasks; of two ways to do the same, one has
     */
    public record Pipeline(Source source, List<Step> steps, List<When> when) implements Serializable {
        public Pipeline {
            steps = List.copyOf(steps);
            when = List.copyOf(when);
        }

        public Pipeline(Source source, List<Step> steps) {
            this(source, steps, List.of());
        }
    }

    /** A question that the size of the output of a finished stage answers: is it at most so many bytes? */
    public record When(int stage, long bytes, boolean isSmall) implements Serializable {
        @Override
        public String toString() {
            return "if stage " + stage + " made " + (isSmall ? "at most " : "more than ") + Sizes.bytes(bytes);
        }
    }

    public Stage {
        pipelines = List.copyOf(pipelines);
    }

    private static Stream<Integer> source(Source source) {
        return switch (source) {
            case Source.Parts parts -> Stream.of(parts.stage());
            case Source.Runs runs -> Stream.of(runs.stage());
            case Source.Table table -> Stream.empty();
            case Source.Given given -> Stream.empty();
        };
    }

    /** The stages that must be finished before this one starts. */
    public List<Integer> dependencies() {
        return pipelines.stream()
                .flatMap(p -> Stream.of(
                                source(p.source()),
                                p.steps().stream()
                                        .filter(Step.Probe.class::isInstance)
                                        .map(s -> ((Step.Probe) s).buildStage()),
                                p.when().stream().map(When::stage))
                        .flatMap(x -> x))
                .distinct()
                .sorted()
                .collect(Collectors.toList());
    }
}
