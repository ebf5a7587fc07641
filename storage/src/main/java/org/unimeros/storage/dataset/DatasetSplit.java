package org.unimeros.storage.dataset;

import java.io.FileNotFoundException;
import java.io.Serializable;
import java.nio.file.NoSuchFileException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.Split;
import org.unimeros.storage.commit.ReplacedFiles;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;

/** Some pieces of the files of a dataset, read one after the other. */
final class DatasetSplit implements Split {

    /** A piece and the values of the partition columns for it. */
    record Entry(Piece piece, List<Object> partition) implements Serializable {}

    /**
     * How pieces are read and which columns are wanted; shared by the splits of a scan.
     *
     * @param fileColumns all columns of the files
     * @param schema these and the partition columns behind them
     * @param columns the wanted columns, as positions in the schema
     * @param isSampled whether the columns of the files were found in samples
     */
    record Reading(
            Format format,
            FormatOptions options,
            List<ColumnSpec> fileColumns,
            Schema schema,
            List<Integer> columns,
            boolean isSampled)
            implements Serializable {}

    private static final long LEAST_SAMPLED_BYTES = 1 << 10;

    private final Reading reading;
    private final List<Entry> entries;

    DatasetSplit(Reading reading, List<Entry> entries) {
        this.reading = reading;
        this.entries = entries;
    }

    @Override
    public long bytes() {
        return entries.stream().mapToLong(e -> e.piece().bytes()).sum();
    }

    @Override
    public String describe() {
        Piece first = entries.get(0).piece();
        return entries.size() == 1 ? first.toString() : first + " and " + (entries.size() - 1) + " more";
    }

    /** Of very small files, so many would be opened for a few rows that it takes as long as reading them does. */
    @Override
    public boolean canBeSampled() {
        boolean isCodeOfJob = reading.format instanceof Serializable;
        return !isCodeOfJob && bytes() / entries.size() >= LEAST_SAMPLED_BYTES;
    }

    @Override
    public BatchReader open(ReadContext context) {
        return new Reader(context);
    }

    private final class Reader implements BatchReader {
        private static final int SMALL_ROWS = Batch.TARGET_ROWS / 16;

        /** Those that are wanted, and behind them those that are only looked at. */
        private final List<ColumnSpec> fileColumns = new ArrayList<>();

        private final int wantedColumns;
        private final Format.PieceOpener opener;
        private int next;
        private BatchReader current;
        private List<Object> partition;
        private final BatchBuilder small;
        private Batch waiting;
        private int wantedRows = 1;

        Reader(ReadContext context) {
            this.small = new BatchBuilder(reading.columns().stream()
                    .map(index -> reading.schema().field(index).type())
                    .toList());
            for (int index : reading.columns()) {
                if (index < reading.fileColumns().size()) {
                    fileColumns.add(reading.fileColumns().get(index));
                }
            }
            wantedColumns = fileColumns.size();
            if (context.leavesOutBadRecords() && reading.format().hasBadRecords()) {
                // Which records are left out must not depend on the columns that somebody asks for.
                reading.fileColumns().stream()
                        .filter(c -> c.type() != DataType.TEXT && !fileColumns.contains(c))
                        .forEach(fileColumns::add);
            }
            this.opener = reading.isSampled()
                    ? reading.format()
                            .opener(fileColumns, Set.copyOf(reading.schema().names()), reading.options(), context)
                    : reading.format().opener(fileColumns, reading.options(), context);
        }

        /**
         * Batches of a few rows, as small files make them, are put together: the more, the more have been asked for, so that
         * whoever wants a few rows only does not read many files.
         */
        @Override
        public Batch next() {
            if (waiting != null) {
                Batch large = waiting;
                waiting = null;
                return large;
            }
            while (small.rowCount() < wantedRows) {
                Batch batch = nextOfFile();
                if (batch == null) {
                    break;
                }
                if (batch.rowCount() >= SMALL_ROWS && small.rowCount() == 0) {
                    return batch;
                }
                if (batch.rowCount() >= SMALL_ROWS) {
                    waiting = batch;
                    break;
                }
                small.appendAll(batch);
            }
            wantedRows = Math.min(Batch.TARGET_ROWS, 4 * wantedRows);
            return small.rowCount() == 0 ? null : small.build();
        }

        private Batch nextOfFile() {
            while (true) {
                if (current == null) {
                    if (next == entries.size()) {
                        return null;
                    }
                    Entry entry = entries.get(next++);
                    partition = entry.partition();
                    current = open(entry.piece());
                }
                Batch batch = current.next();
                if (batch != null) {
                    return withPartition(batch);
                }
                current.close();
                current = null;
            }
        }

        /** A file that was replaced since it was listed is read where it is kept. */
        private BatchReader open(Piece piece) {
            try {
                return opener.open(piece);
            } catch (ResourceFailure e) {
                boolean isGone =
                        e.getCause() instanceof NoSuchFileException || e.getCause() instanceof FileNotFoundException;
                Optional<DataFile> kept = isGone ? ReplacedFiles.find(piece.file()) : Optional.empty();
                return opener.open(piece.of(kept.orElseThrow(() -> e)));
            }
        }

        private Batch withPartition(Batch batch) {
            if (wantedColumns == reading.columns().size() && wantedColumns == fileColumns.size()) {
                return batch;
            }
            Column[] all = new Column[reading.columns().size()];
            int fromFile = 0;
            for (int i = 0; i < all.length; i++) {
                int index = reading.columns().get(i);
                all[i] = index < reading.fileColumns().size()
                        ? batch.column(fromFile++)
                        : constant(index, batch.rowCount());
            }
            return new Batch(batch.rowCount(), all);
        }

        private Column constant(int index, int rows) {
            Object value = partition.get(index - reading.fileColumns().size());
            DataType type = reading.schema().field(index).type();
            if (value instanceof String text) {
                return TextColumn.constant(text, rows);
            }
            ColumnBuilder one = ColumnBuilder.of(type);
            Values.append(one, value);
            return one.build().gather(new int[rows], rows);
        }

        @Override
        public void close() {
            if (current != null) {
                current.close();
            }
        }
    }
}
