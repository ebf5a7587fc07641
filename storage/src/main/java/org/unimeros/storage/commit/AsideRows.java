package org.unimeros.storage.commit;

import java.io.IOException;
import java.nio.file.NoSuchFileException;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.parquet.ParquetFormat;
import org.unimeros.storage.store.StorePath;

/**
 * Rows of partitions for which a task has no file yet, in a few files by the numbers of their partitions. They lie in the staging folder of the
 * run, with which they go if the task does not end.
 */
final class AsideRows {

    private static final Format FORMAT = new ParquetFormat();

    private final StorePath folder;
    private final String prefix;
    private final Schema schema;
    private final TaskScope scope;
    private final FileWriter[] writers;

    AsideRows(StorePath folder, String prefix, Schema schema, int files, TaskScope scope) {
        this.folder = folder;
        this.prefix = prefix;
        this.schema = schema;
        this.scope = scope;
        this.writers = new FileWriter[files];
    }

    void write(int partition, Batch rows) {
        int file = partition % writers.length;
        if (writers[file] == null) {
            writers[file] = FORMAT.write(path(file), schema, FormatOptions.DEFAULTS, scope);
        }
        writers[file].write(rows);
    }

    private StorePath path(int file) {
        return folder.resolve(prefix + "-" + file + FORMAT.ending());
    }

    List<FileWriter> writers() {
        List<FileWriter> all = new ArrayList<>();
        for (FileWriter writer : writers) {
            if (writer != null) {
                all.add(writer);
            }
        }
        return all;
    }

    /** Ends the files, and returns where they are. */
    List<StorePath> finish() {
        List<StorePath> paths = new ArrayList<>();
        for (int i = 0; i < writers.length; i++) {
            if (writers[i] != null) {
                writers[i].finish();
                paths.add(path(i));
            }
        }
        return paths;
    }

    void close() {
        writers().forEach(FileWriter::close);
    }

    /** Hands on the rows of a file in their order, and deletes it. */
    static void read(StorePath path, Schema schema, Consumer<Batch> rows) {
        List<ColumnSpec> columns = schema.fields().stream()
                .map(f -> ColumnSpec.of(f.name(), f.type()))
                .toList();
        try {
            DataFile file = DataFile.of(path, path.find().orElseThrow(() -> new NoSuchFileException(path.toString())));
            try (BatchReader reader =
                    FORMAT.read(Piece.whole(file), columns, FormatOptions.DEFAULTS, ReadContext.STRICT)) {
                for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                    rows.accept(batch);
                }
            }
            path.store().delete(path.path());
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }
}
