package org.unimeros.storage.format.parquet;

import dev.hardwood.HardwoodContext;
import dev.hardwood.metadata.FileMetaData;
import dev.hardwood.metadata.RowGroup;
import dev.hardwood.reader.ParquetFileReader;
import dev.hardwood.schema.FileSchema;
import dev.hardwood.schema.SchemaNode;
import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.logging.Level;
import java.util.logging.Logger;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Ranges;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOption;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Pieces;
import org.unimeros.storage.store.StorePath;

/** Reads and writes Parquet. Keeps the footers of files that it has seen, as long as they do not change. */
public final class ParquetFormat implements Format {

    private static final int FOOTERS_KEPT = 2000;

    /** What the end of a file says. */
    record Footer(FileMetaData meta, FileSchema schema) {}

    private final Map<DataFile, Footer> footers = new LinkedHashMap<>(16, 0.75f, true) {
        private static final long serialVersionUID = 1;

        @Override
        protected boolean removeEldestEntry(Map.Entry<DataFile, Footer> eldest) {
            return size() > FOOTERS_KEPT;
        }
    };

    /** Held, because a logger that nobody holds forgets its level. */
    private final Logger libraryLog = Logger.getLogger("dev.hardwood");

    private final Watchdog watchdog;

    public ParquetFormat() {
        this(Duration.ofSeconds(60));
    }

    /** @param patience how long a batch may take to be read */
    ParquetFormat(Duration patience) {
        this.watchdog = new Watchdog(patience);
        if (libraryLog.getLevel() == null) {
            libraryLog.setLevel(Level.WARNING);
        }
    }

    @Override
    public String name() {
        return "parquet";
    }

    @Override
    public String ending() {
        return ".parquet";
    }

    @Override
    public boolean canBeCut(DataFile file) {
        return true;
    }

    Footer footer(DataFile file) {
        synchronized (footers) {
            Footer known = footers.get(file);
            if (known != null) {
                return known;
            }
        }
        Footer read = readFooter(file);
        try {
            FooterCheck.require(file, read);
        } catch (RuntimeException e) {
            throw FooterCheck.asBadData(file, e);
        }
        synchronized (footers) {
            footers.put(file, read);
        }
        return read;
    }

    private static Footer readFooter(DataFile file) {
        requireReadable(file);
        try (HardwoodContext context = HardwoodContext.create(1);
                ParquetFileReader reader = ParquetFileReader.open(new LibraryInput(file), context)) {
            return new Footer(reader.getFileMetaData(), reader.getFileSchema());
        } catch (IOException | RuntimeException e) {
            throw broken(file, e);
        }
    }

    private static void requireReadable(DataFile file) {
        try (var in = Io.open(file, 0)) {
            in.read();
        } catch (IOException e) {
            throw Io.failure("read", file.path(), e);
        }
    }

    static BadData broken(DataFile file, Exception e) {
        String why = e.getMessage() == null
                ? e.getClass().getSimpleName()
                : e.getMessage().split("\n")[0];
        return new BadData(
                file + " is not a readable Parquet file (" + why
                        + "); it may be cut off: write it again, or move it away",
                e);
    }

    @Override
    public boolean keepsColumns(FormatOptions options) {
        return true;
    }

    @Override
    public Set<FormatOption> writeOptions() {
        return Set.of(FormatOption.COMPRESSION);
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        Map<String, DataType> types = new LinkedHashMap<>();
        Map<String, DataFile> firstSeen = new LinkedHashMap<>();
        Set<String> warnings = new LinkedHashSet<>();
        for (DataFile file : files) {
            if (file.bytes() == 0) {
                continue;
            }
            for (SchemaNode column : footer(file).schema().getRootNode().children()) {
                Optional<DataType> type = ParquetTypes.dataType(column);
                if (type.isEmpty()) {
                    warnings.add("column " + ParquetTypes.describe(column) + " is left out: its type is not supported");
                    continue;
                }
                String name = column.name();
                DataType known = types.get(name);
                DataFile first = firstSeen.computeIfAbsent(name, n -> file);
                types.put(name, known == null ? type.get() : meet(name, known, first, type.get(), file));
            }
        }
        List<ColumnSpec> columns = new ArrayList<>();
        types.forEach((name, type) -> columns.add(ColumnSpec.of(name, type)));
        return new Inferred(columns, List.copyOf(warnings));
    }

    private static DataType meet(String name, DataType a, DataFile first, DataType b, DataFile second) {
        return Types.common(a, b)
                .orElseThrow(() -> new BadData("column " + name + " is " + a + " in " + first + ", but " + b + " in "
                        + second + "; write one of them again, or declare them as two datasets"));
    }

    @Override
    public Pieces pieces(DataFile file, List<ColumnSpec> columns, List<Expression> conditions, long targetBytes) {
        if (file.bytes() == 0) {
            return new Pieces(List.of(), 0, 0);
        }
        Footer footer = footer(file);
        try {
            return pieces(file, footer, columns, conditions, targetBytes);
        } catch (RuntimeException e) {
            throw FooterCheck.asBadData(file, e);
        }
    }

    private static Pieces pieces(
            DataFile file, Footer footer, List<ColumnSpec> columns, List<Expression> conditions, long targetBytes) {
        List<RowGroup> groups = footer.meta.rowGroups();
        List<Piece> pieces = new ArrayList<>();
        long skipped = 0;
        long rows = 0;
        long start = -1;
        for (int g = 0; g < groups.size(); g++) {
            long from = start(groups.get(g));
            long end = g + 1 < groups.size() ? start(groups.get(g + 1)) : file.bytes();
            boolean wanted = mayMatch(footer, g, columns, conditions);
            boolean full = start >= 0 && end - start > targetBytes;
            if (start >= 0 && (!wanted || full)) {
                pieces.add(new Piece(file, start, from));
                start = -1;
            }
            if (wanted) {
                rows += groups.get(g).numRows();
                start = start < 0 ? from : start;
            } else {
                skipped += end - from;
            }
        }
        if (start >= 0) {
            pieces.add(new Piece(file, start, file.bytes()));
        }
        return new Pieces(pieces, skipped, rows);
    }

    static long start(RowGroup group) {
        return group.columns().get(0).chunkStartOffset();
    }

    private static boolean mayMatch(Footer footer, int group, List<ColumnSpec> columns, List<Expression> conditions) {
        return conditions.stream().allMatch(c -> Ranges.canMatch(c, i -> ChunkRange.of(footer, group, columns.get(i))));
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        Footer footer = footer(piece.file());
        SchemaNode[] fields = ParquetPieceReader.match(piece, columns, footer, context);
        return FlatPieceReader.canRead(piece, columns, fields, footer)
                ? new FlatPieceReader(piece, columns, fields, footer)
                : new ParquetPieceReader(piece, columns, fields, footer, watchdog);
    }

    @Override
    public FileWriter write(StorePath path, Schema schema, FormatOptions options) {
        return new ParquetFileWriter(path, schema, Compressor.of(options.compression()));
    }
}
