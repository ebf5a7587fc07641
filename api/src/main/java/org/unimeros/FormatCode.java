package org.unimeros;

import java.io.IOException;
import java.io.InputStream;
import java.io.Serializable;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import org.unimeros.code.BadRecordException;
import org.unimeros.code.FileFormat;
import org.unimeros.code.FileFormat.ColumnReading;
import org.unimeros.code.FileFormat.Reading;
import org.unimeros.code.FileFormat.Writing;
import org.unimeros.code.LineFormat;
import org.unimeros.code.RecordFormat;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.record.RecordShape;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.CountingOutput;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.LineReader;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.StorePath;

/**
 * A format of the job among those of the engine: records become columns, and columns records.
 *
 * @param canBeCut whether files that are not packed can be read in pieces
 * @param columns those of the records
 */
record FormatCode(OwnCode<RecordFormat<?>> code, String name, String ending, boolean canBeCut, List<ColumnSpec> columns)
        implements Format, Serializable {

    private static final String ADVICE = "; correct it, or leave such records out: set bad-records to skip";

    FormatCode {
        columns = List.copyOf(columns);
    }

    @SuppressWarnings("unchecked")
    static FormatCode of(RecordFormat<?> format) {
        OwnCode.require(format, "the format");
        RecordShape<?> shape = RecordShape.of(format.type());
        boolean splittable = !(format instanceof FileFormat<?> files) || files.canBeCut();
        return new FormatCode(
                (OwnCode<RecordFormat<?>>) (OwnCode<?>) Travelling.of(format, "the format " + format.name()),
                format.name(),
                format.ending(),
                splittable,
                shape.schema().fields().stream()
                        .map(f -> ColumnSpec.of(f.name(), f.type()))
                        .toList());
    }

    @Override
    public boolean canBeCut(DataFile file) {
        return canBeCut && !file.isOnePiece();
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        return new Inferred(columns, List.of());
    }

    @SuppressWarnings("unchecked")
    private RecordFormat<Object> open(TaskScope scope) {
        RecordFormat<?> format = code.open((Class<RecordFormat<?>>) (Class<?>) RecordFormat.class, scope.files());
        ScopeContext.taskBegins(format, "format " + name, scope);
        return (RecordFormat<Object>) format;
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> wanted, FormatOptions options, ReadContext context) {
        int[] picked = wanted.stream().mapToInt(this::find).toArray();
        RecordFormat<Object> format = open(context.scope());
        return format instanceof LineFormat<Object> lines
                ? new OfLines(lines, piece, picked, context)
                : new OfFile((FileFormat<Object>) format, piece, picked, context);
    }

    private int find(ColumnSpec wanted) {
        for (int i = 0; i < columns.size(); i++) {
            if (columns.get(i).name().equals(wanted.path())
                    && columns.get(i).type().equals(wanted.type())) {
                return i;
            }
        }
        throw new UserMistake("the format " + name + " has the columns " + columns + ", and " + wanted.name() + " "
                + wanted.type() + " is declared; leave the declaration out, and cast");
    }

    /** Reads records until a batch is full. */
    private abstract class Reader implements BatchReader {
        final ReadContext context;
        private final RecordFormat<Object> format;
        private final RecordShape<Object> shape;
        private final BatchBuilder rows;
        final int[] picked;

        Reader(RecordFormat<Object> format, int[] picked, ReadContext context) {
            this.format = format;
            this.shape = RecordShape.of(format.type());
            this.rows = new BatchBuilder(shape.schema());
            this.picked = picked;
            this.context = context;
        }

        /** The next record that can be read; null at the end. */
        abstract Object record();

        @Override
        public Batch next() {
            while (rows.rowCount() < Batch.TARGET_ROWS) {
                Object record = record();
                if (record == null) {
                    break;
                }
                shape.append(rows, 0, record);
                rows.endRow();
            }
            return rows.rowCount() == 0 ? null : rows.build().pick(picked);
        }

        @Override
        public void close() {
            ScopeContext.taskEnds(format, "format " + name);
        }
    }

    private final class OfLines extends Reader {
        private final LineFormat<Object> format;
        private final LineReader lines;

        OfLines(LineFormat<Object> format, Piece piece, int[] picked, ReadContext context) {
            super(format, picked, context);
            this.format = format;
            this.lines = new LineReader(piece);
        }

        @Override
        Object record() {
            while (lines.next()) {
                String line = new String(lines.buffer(), lines.lineStart(), lines.lineLength(), StandardCharsets.UTF_8);
                try {
                    Object record = format.read(line);
                    if (record != null) {
                        return record;
                    }
                } catch (Exception e) {
                    context.badRecord(
                            new BadRecord(
                                    lines.file(), lines.lineInFile(lines.lineNumber()), reason(e), lines.copyLine()),
                            ADVICE);
                }
            }
            return null;
        }

        @Override
        public void close() {
            lines.close();
            super.close();
        }
    }

    private BadData bad(String place, Exception why) {
        return new BadData(place + ": " + reason(why) + ADVICE);
    }

    private String reason(Exception why) {
        String reason = why.getMessage() == null ? why.toString() : why.getMessage();
        if (why.getMessage() != null && !(why instanceof UnimerosException)) {
            reason += " (" + why.getClass().getSimpleName() + ")";
        }
        return "not a record of the format " + name + ": " + reason;
    }

    private final class OfFile extends Reader {
        private final Piece piece;
        private final Reading<Object> records;
        private final List<InputStream> streams = new ArrayList<>();

        OfFile(FileFormat<Object> format, Piece piece, int[] picked, ReadContext context) {
            super(format, picked, context);
            this.piece = piece;
            try {
                this.records = format.read(new Part());
            } catch (IOException e) {
                throw Io.failure("read", piece.file().path(), e);
            } catch (Exception e) {
                throw bad(piece.file().toString(), e);
            }
        }

        @Override
        Object record() {
            return reading(records::next);
        }

        @Override
        public Batch next() {
            if (!(records instanceof ColumnReading<Object> whole)) {
                return super.next();
            }
            Batch batch = reading(whole::nextBatch);
            return batch == null ? null : checked(batch).pick(picked);
        }

        private Batch checked(Batch batch) {
            boolean fits = batch.columnCount() == columns.size();
            for (int c = 0; fits && c < columns.size(); c++) {
                fits = batch.column(c).fits(columns.get(c).type());
            }
            if (!fits) {
                throw new UserMistake("the format " + name + " makes other columns than it has: " + columns);
            }
            return batch;
        }

        private <R> R reading(Callable<R> next) {
            while (true) {
                try {
                    return next.call();
                } catch (BadRecordException e) {
                    context.badRecord(new BadRecord(piece.file().toString(), 0, e.getMessage(), e.raw()), "");
                } catch (IOException e) {
                    throw Io.failure("read", piece.file().path(), e);
                } catch (Exception e) {
                    throw bad(piece.file().toString(), e);
                }
            }
        }

        @Override
        public void close() {
            for (InputStream stream : streams) {
                try {
                    stream.close();
                } catch (IOException e) {
                    throw Io.failure("close", piece.file().path(), e);
                }
            }
            super.close();
        }

        /** The piece as the format sees it. */
        private final class Part implements FileFormat.FilePiece {
            @Override
            public String file() {
                return piece.file().toString();
            }

            @Override
            public long start() {
                return piece.start();
            }

            @Override
            public long end() {
                return piece.end();
            }

            @Override
            public long fileBytes() {
                return piece.file().bytes();
            }

            @Override
            public InputStream open(long from) {
                InputStream stream = Io.open(piece.file(), from);
                streams.add(stream);
                return stream;
            }
        }
    }

    @Override
    public void requireWritable(Schema schema) {
        RecordShape.of(code.open(recordFormat(), TaskScope.NONE.files()).type()).columnsIn(schema);
        for (var field : schema.fields()) {
            if (columns.stream().noneMatch(c -> c.name().equalsIgnoreCase(field.name())) && columns.size() > 1) {
                throw new UserMistake("the format " + name + " has no column " + field.fullName()
                        + "; select the columns that it has");
            }
        }
    }

    @SuppressWarnings("unchecked")
    private static Class<RecordFormat<?>> recordFormat() {
        return (Class<RecordFormat<?>>) (Class<?>) RecordFormat.class;
    }

    @Override
    public FileWriter write(StorePath path, Schema schema, FormatOptions options) {
        return write(path, schema, options, TaskScope.NONE);
    }

    @Override
    public FileWriter write(StorePath path, Schema schema, FormatOptions options, TaskScope scope) {
        return new Writer(open(scope), path, schema);
    }

    private final class Writer implements FileWriter {
        private final RecordFormat<Object> format;
        private final StorePath path;
        private final CountingOutput out;
        private final int[] columnsOf;
        private final RecordShape.Reader<Object> reader;
        private final Writing<Object> writer;

        Writer(RecordFormat<Object> format, StorePath path, Schema schema) {
            this.format = format;
            this.path = path;
            RecordShape<Object> shape = RecordShape.of(format.type());
            List<Integer> order = shape.columnsIn(schema);
            this.columnsOf = order.stream().mapToInt(Integer::intValue).toArray();
            this.reader =
                    shape.reader(new Schema(order.stream().map(schema::field).toList()));
            try {
                this.out = Io.create(path);
                this.writer = format instanceof LineFormat<Object> lines
                        ? record -> line(lines, record)
                        : ((FileFormat<Object>) format).write(out);
            } catch (Exception e) {
                throw failure(null, e);
            }
        }

        private void line(LineFormat<Object> lines, Object record) throws Exception {
            String line = lines.write(record);
            if (line == null || line.indexOf('\n') >= 0) {
                throw new UserMistake("the format " + name + " makes " + (line == null ? "no line" : "several lines")
                        + " of the record " + record);
            }
            out.write(line.getBytes(StandardCharsets.UTF_8));
            out.write('\n');
        }

        private RuntimeException failure(Object record, Exception e) {
            return e instanceof IOException io
                    ? Io.failure("write", path, io)
                    : OwnFailure.of("format " + name, record, e);
        }

        @Override
        public void write(Batch batch) {
            reader.use(batch.pick(columnsOf), 0);
            for (int i = 0; i < batch.rowCount(); i++) {
                Object record = reader.read(i);
                try {
                    writer.write(record);
                } catch (Exception e) {
                    throw failure(record, e);
                }
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
                writer.finish();
                out.close();
                return out.count();
            } catch (Exception e) {
                throw failure(null, e);
            }
        }

        @Override
        public void close() {
            try {
                out.close();
            } catch (IOException e) {
                throw Io.failure("close", path, e);
            }
            ScopeContext.taskEnds(format, "format " + name);
        }
    }
}
