package org.unimeros.engine.operator;

import java.util.List;
import org.unimeros.engine.source.TableSink.TaskOutput;

/**
 * What a task made.
 *
 * @param rows rows that reached its output
 * @param parts one entry per part; a single one where rows are not divided; none where they were written outside
 * @param written what was written outside, else null
 */
public record TaskResult(long rows, List<Part> parts, TaskOutput written) {

    public TaskResult {
        parts = List.copyOf(parts);
    }
}
