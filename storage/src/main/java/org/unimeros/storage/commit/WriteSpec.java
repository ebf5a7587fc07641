package org.unimeros.storage.commit;

import java.io.Serializable;
import java.nio.file.Path;
import java.util.List;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;

/**
 * Where and how rows are written.
 *
 * @param partitionColumns columns whose values become folders and are left out of the files
 */
public record WriteSpec(
        Path location, Format format, FormatOptions options, List<String> partitionColumns, WriteMode mode)
        implements Serializable {

    public WriteSpec {
        partitionColumns = List.copyOf(partitionColumns);
    }
}
