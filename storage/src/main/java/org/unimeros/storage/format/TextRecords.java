package org.unimeros.storage.format;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.TextKeeper;
import org.unimeros.engine.data.TextValues;

/** Where the fields of some records stand as texts in bytes, from which the values of a column are read all together. Not thread-safe. */
public final class TextRecords {

    private static final int SHOWN = 60;

    /** Places take memory, so fewer records are noted where they have many fields. */
    private static final int MOST_PLACES = 1 << 18;

    private static final int FEWEST_ROWS = 64;

    /** Instead of a place. */
    private static final long NULL = -1;

    /** Instead of a place: nothing in quotes, which is a value where texts are. */
    private static final long EMPTY = -2;

    /** Beside the end of a place: the text stood in no quotes where others do. */
    private static final long BARE = 1L << 31;

    /** Is told of a record that does not fit: what the problem is, the line that it begins in, and its text where that was kept. */
    public interface BadRecord {
        void found(String problem, long line, byte[] raw);
    }

    private final List<ColumnSpec> columns;
    private final Notation notation;
    private final int mostRows;
    private final boolean keepsRaw;

    private final int fields;
    /** By field the column that is read from it; -1 for none. */
    private final int[] columnOf;

    /** By row and field, where it begins in the upper half and where it ends in the lower one, which may say that it is bare. */
    private long[] places;

    private int noted;
    private int rows;
    /** The places of one field, by row. */
    private int[] starts = new int[0];

    private int[] ends = new int[0];
    /** By field, for those that texts are read from; else null. */
    private final TextKeeper[] keepers;

    private long[] lines = new long[FEWEST_ROWS];
    private final List<byte[]> raw = new ArrayList<>();
    /** By row, null where a record fits; null where all do. */
    private String[] problems;

    /**
     * @param fields how many a record has
     * @param rowsPerBatch so many at most
     * @param keepsRaw whether texts of records are kept, for those that do not fit
     * @param notation of the values
     */
    public TextRecords(List<ColumnSpec> columns, int fields, int rowsPerBatch, boolean keepsRaw, Notation notation) {
        this.notation = notation;
        this.columns = columns;
        this.fields = fields;
        this.mostRows = Math.min(rowsPerBatch, Math.max(FEWEST_ROWS, MOST_PLACES / Math.max(1, fields)));
        this.keepsRaw = keepsRaw;
        this.columnOf = new int[fields];
        this.keepers = new TextKeeper[fields];
        this.places = new long[Math.max(FEWEST_ROWS, 2 * fields)];
        Arrays.fill(columnOf, -1);
    }

    /** Has the values of a column read from a field. */
    public void read(int field, int column) {
        columnOf[field] = column;
        keepers[field] = columns.get(column).type() == DataType.TEXT ? new TextKeeper() : null;
    }

    public boolean keepsRaw() {
        return keepsRaw;
    }

    public boolean isFull() {
        return rows == mostRows;
    }

    /** Notes where the next field of the record stands. */
    public void note(int start, int end) {
        note((long) start << Integer.SIZE | end);
    }

    /** Notes that the next field of the record is null. */
    public void noteNull() {
        note(NULL);
    }

    /** Notes that the next field of the record is nothing in quotes. */
    public void noteEmpty() {
        note(EMPTY);
    }

    private void note(long place) {
        if (noted == places.length) {
            places = Arrays.copyOf(places, 2 * noted);
        }
        places[noted++] = place;
    }

    /** Begins a record whose fields are noted in any order; those that are not are null. */
    public void open() {
        int end = (rows + 1) * fields;
        if (end > places.length) {
            places = Arrays.copyOf(places, Math.max(end, 2 * places.length));
        }
        Arrays.fill(places, noted, end, NULL);
        noted = end;
    }

    /**
     * Notes where a field of the record stands that was begun last.
     *
     * @param isBare whether its text is shown without quotes where it does not fit
     */
    public void note(int field, int start, int end, boolean isBare) {
        places[rows * fields + field] = (long) start << Integer.SIZE | end | (isBare ? BARE : 0);
    }

    /** Gives up a record that was begun and not ended. */
    public void drop() {
        noted = rows * fields;
    }

    /** Notes a record that does not fit, whatever its fields are. */
    public void refuse(String problem, long line) {
        open();
        addProblem(rows, problem);
        end(line);
    }

    public int rows() {
        return rows;
    }

    /** Keeps the text of the record. */
    public void keep(byte[] text) {
        raw.add(text);
    }

    /** Ends the record, which begins in a line. */
    public void end(long line) {
        int found = noted - rows * fields;
        if (found != fields) {
            endOdd(found);
        }
        if (rows == lines.length) {
            lines = Arrays.copyOf(lines, 2 * rows);
        }
        lines[rows++] = line;
    }

    private void endOdd(int found) {
        for (int f = found; f < fields; f++) {
            noteNull();
        }
        noted = (rows + 1) * fields;
        String count = found + (found == 1 ? " field" : " fields");
        addProblem(rows, "found " + count + ", but the file has " + fields + " columns");
    }

    private void addProblem(int row, String problem) {
        problems = problems == null ? new String[mostRows] : problems;
        problems[row] = problems[row] == null ? problem : problems[row];
    }

    /**
     * The records noted so far but those that do not fit, which may leave none. Then new ones can be noted.
     *
     * @param read the columns that are there already, with a value for each record; null for those that are read from fields and for those that
     *     are absent, which are null
     */
    public Batch build(byte[] bytes, Column[] read, BadRecord bad) {
        for (int f = 0; f < fields; f++) {
            if (columnOf[f] >= 0) {
                read[columnOf[f]] = read(f, columns.get(columnOf[f]), bytes);
            }
        }
        for (int c = 0; c < read.length; c++) {
            read[c] = read[c] == null ? ColumnBuilder.nulls(columns.get(c).type(), rows) : read[c];
        }
        Batch all = new Batch(rows, read);
        Batch fitting = problems == null ? all : fitting(all, bad);
        rows = 0;
        noted = 0;
        raw.clear();
        problems = null;
        return fitting;
    }

    private Column read(int field, ColumnSpec column, byte[] bytes) {
        TextKeeper keeper = keepers[field];
        long[] absent = find(field, keeper != null || column.type() == DataType.BYTES);
        TextColumn text = TextColumn.slices(bytes, starts, ends, absent);
        if (keeper != null) {
            return keeper.keep(text, rows);
        }
        Column values =
                TextValues.read(notation.read(text, rows, column.type()), rows, column.type(), column.isGuessed());
        // A text that means nothing in the type is null as well.
        for (int i = 0; values.nulls() != null && values.nulls() != text.nulls() && i < rows; i++) {
            if (values.isNull(i) && !text.isNull(i)) {
                String shown = text.text(i);
                shown = shown.length() > SHOWN ? shown.substring(0, SHOWN) + "…" : shown;
                shown = (places[i * fields + field] & BARE) == 0 ? "'" + shown + "'" : shown;
                addProblem(i, "column " + column.name() + " is " + column.type() + ", but the value is " + shown);
            }
        }
        return values;
    }

    /** Finds where a field begins and ends in each row; returns where it is null. */
    private long[] find(int field, boolean hasEmptyValue) {
        if (starts.length < rows) {
            starts = new int[rows];
            ends = new int[rows];
        }
        long all = 0;
        for (int i = 0, at = field; i < rows; i++, at += fields) {
            long place = places[at];
            starts[i] = (int) (place >>> Integer.SIZE);
            ends[i] = (int) (place & ~BARE);
            all |= place;
        }
        long[] absent = all < 0 ? Bits.make(rows) : null;
        for (int i = 0; absent != null && i < rows; i++) {
            long place = places[i * fields + field];
            if (place < 0) {
                starts[i] = 0;
                ends[i] = 0;
            }
            if (place == NULL || place == EMPTY && !hasEmptyValue) {
                Bits.set(absent, i);
            }
        }
        return absent;
    }

    private Batch fitting(Batch all, BadRecord bad) {
        int[] fitting = new int[rows];
        int n = 0;
        for (int i = 0; i < rows; i++) {
            if (problems[i] == null) {
                fitting[n++] = i;
            } else {
                bad.found(problems[i], lines[i], keepsRaw ? raw.get(i) : new byte[0]);
            }
        }
        return all.select(fitting, n).dense();
    }
}
