package org.unimeros.storage.format;

import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;

/** The rows of a piece of a file, as values. */
public final class ReadRows {

    private ReadRows() {}

    public static List<List<Object>> of(
            Format format, Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        List<List<Object>> rows = new ArrayList<>();
        try (BatchReader reader = format.read(piece, columns, options, context)) {
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                assertTrue(batch.rowCount() > 0 && batch.rowCount() <= Batch.TARGET_ROWS);
                for (int r = 0; r < batch.rowCount(); r++) {
                    List<Object> row = new ArrayList<>();
                    for (int c = 0; c < columns.size(); c++) {
                        row.add(Values.get(batch.column(c), r, columns.get(c).type()));
                    }
                    rows.add(row);
                }
            }
        }
        return rows;
    }
}
