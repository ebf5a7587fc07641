package org.unimeros.engine.run;

import java.util.List;
import org.unimeros.engine.data.Batch;

/**
 * What a run that succeeded made.
 *
 * @param batches the rows, when they were asked for
 * @param rows rows of the result, or rows written
 * @param bytes bytes written
 * @param files files written
 * @param skippedRecords bad records that were left out
 */
public record RunOutcome(List<Batch> batches, long rows, long bytes, int files, long skippedRecords) {

    public RunOutcome {
        batches = List.copyOf(batches);
    }
}
