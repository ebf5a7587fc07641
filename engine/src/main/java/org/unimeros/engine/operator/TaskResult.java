package org.unimeros.engine.operator;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.spill.OutputStore;

/**
 * What a task made.
 *
 * @param rows rows that reached its output
 * @param parts one entry per part; a single one where rows are not divided; none where they were written outside
 * @param store where the rows of the parts are, else null; closing it ends their life
 * @param sketch the frequent keys of rows that were divided for a join, else null
 * @param runStarts the keys of the first row of each chunk, where the rows were sorted for a merge, else null
 * @param written what was written outside, else null
 */
public record TaskResult(
        long rows, List<Part> parts, OutputStore store, KeySketch sketch, Batch runStarts, TaskOutput written) {

    public TaskResult {
        parts = List.copyOf(parts);
    }
}
