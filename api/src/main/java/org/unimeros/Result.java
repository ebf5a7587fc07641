package org.unimeros;

import java.lang.ref.Cleaner;
import java.lang.ref.Reference;
import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.AbstractList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.stage.Sizes;

/**
 * Rows that were fetched. Immutable; can be used by several threads. Rows that did not fit into the memory budget are in
 * scratch files, which go when the result is not used any more.
 */
public final class Result {

    private static final int SHOWN_ROWS = 20;

    private final Schema schema;
    private static final Cleaner CLEANER = Cleaner.create();

    private final List<Chunk> chunks;
    private final int[] starts;
    private final int size;
    private final Run run;
    private volatile Loaded last = new Loaded(-1, null);

    /** A chunk that was read last, for rows that are read one after the other. */
    private record Loaded(int chunk, Batch batch) {}

    Result(Schema schema, RunOutcome outcome, Run run) {
        this.schema = schema;
        this.chunks = outcome.chunks();
        this.starts = new int[chunks.size()];
        int rows = 0;
        for (int i = 0; i < chunks.size(); i++) {
            starts[i] = rows;
            rows = Math.addExact(rows, chunks.get(i).rows());
        }
        this.size = rows;
        this.run = run;
        CLEANER.register(this, outcome.workspace()::close);
    }

    /** All rows, of which one copy is in memory then. */
    List<Batch> batches() {
        try {
            return chunks.stream().map(Chunk::load).toList();
        } finally {
            // What was spilled goes when nobody holds this any more.
            Reference.reachabilityFence(this);
        }
    }

    private Batch batch(int chunk) {
        Loaded loaded = last;
        if (loaded.chunk != chunk) {
            loaded = new Loaded(chunk, chunks.get(chunk).load());
            last = loaded;
        }
        return loaded.batch;
    }

    void forEachBatch(Consumer<Batch> action) {
        for (int i = 0; i < chunks.size(); i++) {
            action.accept(chunks.get(i).load());
        }
    }

    public Schema schema() {
        return schema;
    }

    /** The run that made the rows. */
    public Run run() {
        return run;
    }

    public int size() {
        return size;
    }

    /** All rows, in order. */
    public List<Row> rows() {
        return new AbstractList<>() {
            @Override
            public Row get(int index) {
                return row(index);
            }

            @Override
            public int size() {
                return size;
            }
        };
    }

    /** A row by its number, from 0. */
    public Row row(int index) {
        if (index < 0 || index >= size) {
            throw new IndexOutOfBoundsException("row " + index + " of " + size);
        }
        int at = Arrays.binarySearch(starts, index);
        int batch = at >= 0 ? at : -at - 2;
        while (batch + 1 < starts.length && starts[batch + 1] <= index) {
            batch++;
        }
        return new Row(batch(batch), index - starts[batch]);
    }

    /**
     * The rows as a picture of a fitting form: lines where the first column is a date, a time or a number, bars elsewhere.
     *
     * @see #chart(Chart.Form)
     */
    public Chart chart() {
        return chart(Chart.fitting(schema));
    }

    /**
     * The rows as a picture. The numbers are the columns of numbers at the end of the rows; the columns before them name
     * what is drawn. Where all columns are numbers, the first is the name.
     *
     * @throws UserMistake when there is no column of numbers, or when there are too many rows for lines
     */
    public Chart chart(Chart.Form form) {
        return Chart.of(this, form);
    }

    /** The columns and the first rows, for a look at them. */
    @Override
    public String toString() {
        StringBuilder out =
                new StringBuilder(Sizes.count(size, "row")).append(' ').append(schema.qualified(null));
        for (int i = 0; i < Math.min(size, SHOWN_ROWS); i++) {
            out.append('\n').append(row(i));
        }
        return size > SHOWN_ROWS ? out.append("\n…").toString() : out.toString();
    }

    /** One row; values by the name of their column. */
    public final class Row {
        private final Batch batch;
        private final int row;

        private Row(Batch batch, int row) {
            this.batch = batch;
            this.row = row;
        }

        /** The value as {@link Values#get} gives it after the type, or null. */
        public Object get(int column) {
            Field field = schema.field(column);
            return Values.get(batch.column(column), row, field.type());
        }

        /** The value of a column, or of a field inside it: {@code device.battery}. */
        public Object get(String column) {
            for (int dot = column.indexOf('.'); dot > 0; dot = column.indexOf('.', dot + 1)) {
                OptionalInt whole = schema.find(column.substring(0, dot));
                if (schema.find(column).isEmpty() && whole.isPresent()) {
                    return inside(get(whole.getAsInt()), column.substring(dot + 1), column);
                }
            }
            return get(schema.resolve(column));
        }

        private Object inside(Object struct, String path, String column) {
            Object value = struct;
            for (String field : path.split("\\.")) {
                if (value == null) {
                    return null;
                }
                if (!(value instanceof Map<?, ?> fields) || !fields.containsKey(field)) {
                    throw new UserMistake("unknown column " + column);
                }
                value = fields.get(field);
            }
            return value;
        }

        public boolean isNull(String column) {
            return get(column) == null;
        }

        /** The value as text, or null. */
        public String text(String column) {
            Object value = get(column);
            return value == null ? null : Values.text(value);
        }

        /**
         * The value of an int or long column that is not null.
         *
         * @throws UserMistake when the column is of another type, or the value is null; so do all getters of a type
         */
        public long longValue(String column) {
            Object value = present(column);
            if (value instanceof Integer || value instanceof Long) {
                return ((Number) value).longValue();
            }
            throw wrongType(column, "a whole number");
        }

        /** The value of a number column that is not null. */
        public double doubleValue(String column) {
            return typed(present(column), column, Number.class, "a number").doubleValue();
        }

        public boolean booleanValue(String column) {
            return typed(present(column), column, Boolean.class, "a boolean");
        }

        public LocalDate date(String column) {
            return typed(get(column), column, LocalDate.class, "a date");
        }

        public Instant timestamp(String column) {
            return typed(get(column), column, Instant.class, "a timestamp");
        }

        public BigDecimal decimal(String column) {
            return typed(get(column), column, BigDecimal.class, "a decimal");
        }

        private <T> T typed(Object value, String column, Class<T> type, String wanted) {
            if (value == null || type.isInstance(value)) {
                return type.cast(value);
            }
            throw wrongType(column, wanted);
        }

        private UserMistake wrongType(String column, String wanted) {
            OptionalInt place = schema.find(column);
            String found = place.isPresent() ? schema.field(place.getAsInt()).type() + " and " : "";
            return new UserMistake("column " + column + " is " + found + "not " + wanted
                    + "; use the getter of its type, or cast it in the query");
        }

        public LocalTime time(String column) {
            return typed(get(column), column, LocalTime.class, "a time");
        }

        public Bytes bytes(String column) {
            return typed(get(column), column, Bytes.class, "bytes");
        }

        /** The elements of a list, nulls among them; null for a null list. */
        public List<?> list(String column) {
            return typed(get(column), column, List.class, "a list");
        }

        /** The fields of a struct, in their order; null for a null struct. */
        public Map<?, ?> struct(String column) {
            return typed(get(column), column, Map.class, "a struct");
        }

        private Object present(String column) {
            Object value = get(column);
            if (value == null) {
                throw new UserMistake("column " + column + " is null in this row; ask isNull first");
            }
            return value;
        }

        @Override
        public String toString() {
            StringBuilder out = new StringBuilder();
            for (int c = 0; c < schema.size(); c++) {
                Object value = get(c);
                out.append(c == 0 ? "" : " | ").append(value == null ? "" : Values.text(value));
            }
            return out.toString();
        }
    }
}
