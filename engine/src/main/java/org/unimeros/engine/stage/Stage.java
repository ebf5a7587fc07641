package org.unimeros.engine.stage;

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
        int id, List<Pipeline> pipelines, Output output, Schema schema, Estimate expected, OptionalLong rowsWanted) {

    /** A source and what is done with its batches. */
    public record Pipeline(Source source, List<Step> steps) {
        public Pipeline {
            steps = List.copyOf(steps);
        }
    }

    public Stage {
        pipelines = List.copyOf(pipelines);
    }

    /** The stages that must be finished before this one starts. */
    public List<Integer> dependencies() {
        return pipelines.stream()
                .flatMap(p -> Stream.concat(
                        p.source() instanceof Source.Parts parts ? Stream.of(parts.stage()) : Stream.empty(),
                        p.steps().stream()
                                .filter(Step.Probe.class::isInstance)
                                .map(s -> ((Step.Probe) s).buildStage())))
                .distinct()
                .sorted()
                .collect(Collectors.toList());
    }
}
