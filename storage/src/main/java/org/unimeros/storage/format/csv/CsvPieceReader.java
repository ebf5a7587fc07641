package org.unimeros.storage.format.csv;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.TextRecords;

/**
 * Reads the records of a piece. A file that is cut into pieces must not have line breaks inside quotes: the piece in
 * which such a record begins finds the break and fails, so that no record is ever read in halves.
 */
final class CsvPieceReader implements BatchReader {

    private final Piece piece;
    private final ReadContext context;
    private final int columns;
    private final TextRecords records;
    private final CsvParser parser;
    private boolean atHeader;
    private boolean atEnd;

    CsvPieceReader(
            Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context, int rowsPerBatch) {
        this.piece = piece;
        this.context = context;
        this.columns = columns.size();
        List<String> header = CsvFormat.header(piece.file(), options);
        this.records =
                new TextRecords(columns, header.size(), rowsPerBatch, context.keepsBadRecords(), options.notation());
        match(columns, header);
        Piece lines = CsvRange.lines(piece);
        this.parser = new CsvParser(lines, options, header.size());
        this.atHeader = options.header() && lines.start() == 0;
    }

    /** Finds the field of each column by name. */
    private void match(List<ColumnSpec> columns, List<String> header) {
        for (int c = 0; c < columns.size(); c++) {
            int field = find(header, columns.get(c).path());
            if (field >= 0) {
                records.read(field, c);
            } else {
                context.warn("column " + columns.get(c).name() + " is absent in some files and null there, first in "
                        + piece.file());
            }
        }
    }

    private static int find(List<String> header, String name) {
        int exact = header.indexOf(name);
        for (int i = 0; exact < 0 && i < header.size(); i++) {
            if (header.get(i).strip().equalsIgnoreCase(name)) {
                return i;
            }
        }
        return exact;
    }

    @Override
    public Batch next() {
        Batch batch = null;
        while (!atEnd && (batch == null || batch.rowCount() == 0)) {
            batch = parsed();
        }
        return batch == null || batch.rowCount() == 0 ? null : batch;
    }

    private Batch parsed() {
        try {
            if (atHeader) {
                parser.record();
                atHeader = false;
            }
            atEnd = !parser.parse(records);
        } catch (BadData e) {
            // What is wrong further up in the file is told first.
            records.build(parser.bytes(), new Column[columns], this::tell);
            throw e;
        }
        return records.build(parser.bytes(), new Column[columns], this::tell);
    }

    private void tell(String problem, long line, byte[] raw) {
        String advice =
                "; mend the record, declare the column's type, or leave such records out: set bad-records to skip";
        context.badRecord(new BadRecord(piece.file().toString(), parser.line(line), problem, raw), advice);
    }

    @Override
    public void close() {
        parser.close();
    }
}
