package org.unimeros;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.util.AbstractList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;

/** Rows that were fetched. Immutable; can be used by several threads. */
public final class Table {

    private final Schema schema;
    private final List<Batch> batches;
    private final int[] starts;
    private final int size;
    private final Run run;

    Table(Schema schema, List<Batch> batches, Run run) {
        this.schema = schema;
        this.batches = batches.stream().map(Batch::dense).toList();
        this.starts = new int[batches.size()];
        int rows = 0;
        for (int i = 0; i < batches.size(); i++) {
            starts[i] = rows;
            rows = Math.addExact(rows, batches.get(i).rowCount());
        }
        this.size = rows;
        this.run = run;
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
        return new Row(batches.get(batch), index - starts[batch]);
    }

    /** One row; values by the name of their column. */
    public final class Row {
        private final Batch batch;
        private final int row;

        private Row(Batch batch, int row) {
            this.batch = batch;
            this.row = row;
        }

        /** Boolean, Integer, Long, Double, BigDecimal, String, LocalDate or Instant, after the type; or null. */
        public Object get(int column) {
            Field field = schema.field(column);
            return Values.get(batch.column(column), row, field.type());
        }

        public Object get(String column) {
            return get(schema.resolve(column));
        }

        public boolean isNull(String column) {
            return get(column) == null;
        }

        /** The value as text, or null. */
        public String text(String column) {
            Object value = get(column);
            return value == null ? null : Values.text(value);
        }

        /** The value of an int or long column that is not null. */
        public long longValue(String column) {
            return ((Number) present(column)).longValue();
        }

        /** The value of a number column that is not null. */
        public double doubleValue(String column) {
            return ((Number) present(column)).doubleValue();
        }

        public boolean booleanValue(String column) {
            return (Boolean) present(column);
        }

        public LocalDate date(String column) {
            return (LocalDate) get(column);
        }

        public Instant timestamp(String column) {
            return (Instant) get(column);
        }

        public BigDecimal decimal(String column) {
            return (BigDecimal) get(column);
        }

        private Object present(String column) {
            Object value = get(column);
            if (value == null) {
                throw new IllegalStateException("column " + column + " is null in this row; ask isNull first");
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
