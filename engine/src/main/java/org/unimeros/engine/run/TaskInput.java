package org.unimeros.engine.run;

import java.io.Serializable;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.sort.SortedRuns;

/**
 * What a task reads. One of {@code parts} and {@code range} is set where it reads what other stages made.
 *
 * @param pipeline the number of its pipeline within the stage
 * @param split the number of its split within the table of the pipeline; -1 when it reads no table
 */
public record TaskInput(int pipeline, int split, PartRange parts, SortedRuns.Range range) implements Serializable {

    static TaskInput given(int pipeline) {
        return new TaskInput(pipeline, -1, null, null);
    }

    static TaskInput split(int pipeline, int split) {
        return new TaskInput(pipeline, split, null, null);
    }

    static TaskInput parts(int pipeline, PartRange parts) {
        return new TaskInput(pipeline, -1, parts, null);
    }

    static TaskInput range(int pipeline, SortedRuns.Range range) {
        return new TaskInput(pipeline, -1, null, range);
    }
}
