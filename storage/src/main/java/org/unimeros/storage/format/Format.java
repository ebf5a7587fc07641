package org.unimeros.storage.format;

import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.store.StorePath;

/** A file format. Implementations have no state and can be used by several threads. */
public interface Format {

    /** The name by which users choose it. */
    String name();

    /** The ending of files that are written, with its dot. */
    String ending();

    /** Whether files are records one after the other that can be read from some place in the middle. */
    boolean canBeCut(DataFile file);

    /** Whether single records of a file can be such as cannot be read, as those of text can. */
    default boolean hasBadRecords() {
        return false;
    }

    /** Whether the columns of all files are the same, so that they are known without a look at one. */
    default boolean hasFixedColumns() {
        return false;
    }

    /** Whether a file without rows tells what columns there are. */
    default boolean keepsColumns(FormatOptions options) {
        return false;
    }

    /** What can be said of files that are read; anything else is refused. */
    default Set<FormatOption> readOptions() {
        return Set.of();
    }

    /** What can be said of files that are written; anything else is refused. */
    default Set<FormatOption> writeOptions() {
        return Set.of();
    }

    /** The options with what nobody has said and the files show. */
    default FormatOptions found(List<DataFile> files, FormatOptions options) {
        return options;
    }

    /** The names of the columns of a file, where each file has them and a column that is not there is a mistake; else empty. */
    default Optional<List<String>> columnNames(DataFile file, FormatOptions options) {
        return Optional.empty();
    }

    /**
     * Finds the columns of some files by looking at a sample.
     *
     * @param files files of one dataset, at least one
     * @return the columns, and what the user should know about them
     */
    Inferred infer(List<DataFile> files, FormatOptions options);

    /** Columns that were found, with remarks for the user. */
    record Inferred(List<ColumnSpec> columns, List<String> warnings) {
        public Inferred {
            columns = List.copyOf(columns);
            warnings = List.copyOf(warnings);
        }
    }

    /**
     * Reads a piece.
     *
     * @param columns the wanted columns; batches hold them in this order
     */
    BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context);

    /** Reads pieces one after the other, in one thread, each to its end. */
    @FunctionalInterface
    interface PieceOpener {
        BatchReader open(Piece piece);
    }

    /**
     * Reads many pieces, so that what is the same for all of them need not be made for each.
     *
     * @param columns the wanted columns; batches hold them in this order
     */
    default PieceOpener opener(List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        return piece -> read(piece, columns, options, context);
    }

    /**
     * The same where the columns of a dataset were found in samples of its files.
     *
     * @param sampled the names of all columns that were found; what a file has beside them is told, since nobody has decided to leave it out
     */
    default PieceOpener opener(
            List<ColumnSpec> columns, Set<String> sampled, FormatOptions options, ReadContext context) {
        return opener(columns, options, context);
    }

    /**
     * The pieces of a file that must be read to see all rows that fulfil the conditions.
     *
     * @param columns what the conditions' column references count in
     */
    default Pieces pieces(DataFile file, List<ColumnSpec> columns, List<Expression> conditions, long targetBytes) {
        return Pieces.cut(file, file.bytes() > targetBytes && canBeCut(file), targetBytes);
    }

    /**
     * Does nothing with columns that it can write.
     *
     * @throws UserMistake saying which it cannot
     */
    default void requireWritable(Schema schema) {
        // most can write all
    }

    /** Makes a writer of one file. */
    FileWriter write(StorePath path, Schema schema, FormatOptions options);

    /**
     * The same in a task.
     *
     * @param scope what a format that is code of the job is told
     */
    default FileWriter write(StorePath path, Schema schema, FormatOptions options, TaskScope scope) {
        return write(path, schema, options);
    }
}
