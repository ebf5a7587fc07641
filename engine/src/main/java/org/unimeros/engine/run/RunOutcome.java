package org.unimeros.engine.run;

import java.util.List;
import java.util.Map;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.Workspace;

/**
 * What a run that succeeded made.
 *
 * @param chunks the rows, when they were asked for; those in files can be read until the workspace is closed
 * @param rows rows of the result, or rows written
 * @param bytes bytes written
 * @param files files written
 * @param skippedRecords bad records that were left out
 * @param counters what the code of the job has counted, by group and name
 * @param workspace holds the rows; whoever asked for them closes it
 */
public record RunOutcome(
        List<Chunk> chunks,
        long rows,
        long bytes,
        int files,
        long skippedRecords,
        Map<String, Map<String, Long>> counters,
        Workspace workspace) {

    public RunOutcome {
        chunks = List.copyOf(chunks);
    }
}
