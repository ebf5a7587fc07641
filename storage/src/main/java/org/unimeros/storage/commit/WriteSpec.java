package org.unimeros.storage.commit;

import java.io.Serializable;
import java.util.List;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/**
 * Where and how rows are written.
 *
 * @param partitionColumns columns whose values become folders and are left out of the files
 * @param replacesOnTop whether a run that replaces data also replaces what another one has published since it began; else it is refused
 * @param keepReplacedMillis how long replaced files stay for readers that have listed them
 */
public record WriteSpec(
        StorePath location,
        Format format,
        FormatOptions options,
        List<String> partitionColumns,
        WriteMode mode,
        boolean replacesOnTop,
        long keepReplacedMillis)
        implements Serializable {

    /** A dataset of more folders is slow to list, and each of its files has few rows. */
    public static final int MOST_PARTITIONS = 200_000;

    /** How long replaced files are kept unless set. */
    public static final long KEEP_REPLACED_MILLIS = 600_000;

    public WriteSpec {
        partitionColumns = List.copyOf(partitionColumns);
    }

    /** What is replaced is refused when another run has written it meanwhile, and kept for a while. */
    public WriteSpec(
            StorePath location, Format format, FormatOptions options, List<String> partitionColumns, WriteMode mode) {
        this(location, format, options, partitionColumns, mode, false, KEEP_REPLACED_MILLIS);
    }
}
