package org.unimeros.storage.format.text;

import java.io.IOException;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.CountingOutput;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOption;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.LineReader;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Samples;
import org.unimeros.storage.format.Utf8Check;
import org.unimeros.storage.store.StorePath;

/** Lines of UTF-8 text. */
public final class TextFormat implements Format {

    private static final String LINE = "line";

    @Override
    public String name() {
        return "text";
    }

    @Override
    public String ending() {
        return ".txt";
    }

    @Override
    public boolean canBeCut(DataFile file) {
        return !file.isOnePiece();
    }

    @Override
    public boolean hasFixedColumns() {
        return true;
    }

    @Override
    public boolean keepsColumns(FormatOptions options) {
        return true;
    }

    @Override
    public Set<FormatOption> readOptions() {
        return EnumSet.of(FormatOption.ENCODING);
    }

    @Override
    public FormatOptions found(List<DataFile> files, FormatOptions options) {
        return Samples.encoding(files, options);
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        return new Inferred(List.of(ColumnSpec.of(LINE, DataType.TEXT)), List.of());
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        for (ColumnSpec column : columns) {
            if (!column.path().equals(LINE)) {
                throw new UserMistake(
                        "a text file has the one column line, but column " + column.name() + " is declared");
            }
        }
        return new Lines(new LineReader(piece), piece.file(), columns.size());
    }

    /** Lines as slices of the bytes that they were read with, which are hardly more than theirs. */
    private static final class Lines implements BatchReader {
        private final LineReader lines;
        private final DataFile file;
        private final int columns;
        private final Utf8Check utf8 = new Utf8Check();
        private final int[] starts = new int[Batch.TARGET_ROWS];
        private final int[] ends = new int[Batch.TARGET_ROWS];

        Lines(LineReader lines, DataFile file, int columns) {
            this.file = file;
            this.lines = lines;
            this.columns = columns;
        }

        @Override
        public Batch next() {
            int rows = lines.next(starts, ends);
            if (rows == 0) {
                return null;
            }
            int first = starts[0];
            byte[] bytes = Arrays.copyOfRange(lines.buffer(), first, ends[rows - 1]);
            if (!utf8.isValid(bytes)) {
                throw new BadData(file + " is not UTF-8 text; say its encoding, for example windows-1252");
            }
            int[] from = new int[rows];
            int[] to = new int[rows];
            for (int i = 0; i < rows; i++) {
                from[i] = starts[i] - first;
                to[i] = ends[i] - first;
            }
            Column[] same = new Column[columns];
            Arrays.fill(same, TextColumn.slices(bytes, from, to, null));
            return new Batch(rows, same);
        }

        @Override
        public void close() {
            lines.close();
        }
    }

    @Override
    public void requireWritable(Schema schema) {
        if (schema.size() != 1 || schema.field(0).type() != DataType.TEXT) {
            throw new UserMistake("text files take one text column, but found " + schema + "; use csv or json");
        }
    }

    @Override
    public FileWriter write(StorePath path, Schema schema, FormatOptions options) {
        requireWritable(schema);
        return new TextWriter(path);
    }

    private static final class TextWriter implements FileWriter {
        private final StorePath path;
        private final CountingOutput out;

        TextWriter(StorePath path) {
            this.path = path;
            try {
                this.out = Io.create(path);
            } catch (IOException e) {
                throw Io.failure("write", path, e);
            }
        }

        @Override
        public void write(Batch batch) {
            TextColumn text = (TextColumn) batch.column(0);
            try {
                for (int i = 0; i < batch.rowCount(); i++) {
                    if (!text.isNull(i)) {
                        out.write(text.bytes(), text.start(i), text.end(i) - text.start(i));
                    }
                    out.write('\n');
                }
            } catch (IOException e) {
                throw Io.failure("write", path, e);
            }
        }

        @Override
        public long bufferedBytes() {
            return 0;
        }

        @Override
        public void flush() {
            // nothing is held that would have to be written as a unit
        }

        @Override
        public long finish() {
            try {
                out.close();
                return out.count();
            } catch (IOException e) {
                throw Io.failure("write", path, e);
            }
        }

        @Override
        public void close() {
            try {
                out.close();
            } catch (IOException e) {
                throw Io.failure("close", path, e);
            }
        }
    }
}
