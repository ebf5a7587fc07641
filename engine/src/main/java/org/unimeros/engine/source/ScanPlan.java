package org.unimeros.engine.source;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.expr.Expression;

/**
 * What a scan will read.
 *
 * @param files files that hold at least one split
 * @param bytes bytes of these files that belong to the splits
 * @param skippedFiles files left out because no row in them can be of interest
 * @param skippedBytes bytes of these, and of skipped parts of files that are read
 * @param estimatedRows rows to come, or -1 when nothing is known
 * @param open conditions of the request that the reader does not fully apply, to be checked row by row
 * @param warnings what the user should know about the data, a line each
 */
public record ScanPlan(
        List<Split> splits,
        long files,
        long bytes,
        long skippedFiles,
        long skippedBytes,
        long estimatedRows,
        List<Expression> open,
        List<String> warnings)
        implements Serializable {

    public ScanPlan {
        splits = List.copyOf(splits);
        open = List.copyOf(open);
        warnings = List.copyOf(warnings);
    }
}
