package org.unimeros.engine.model;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Iterator;
import java.util.List;
import java.util.Random;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextForms;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.source.TableSource;

/** A table in memory, cut into splits and batches of given sizes. */
public record TestTable(String name, Schema schema, List<List<Object>> rows, int rowsPerSplit, int rowsPerBatch)
        implements TableSource {

    public static TestTable of(String name, Schema schema, Object[]... rows) {
        List<List<Object>> list = new ArrayList<>();
        for (Object[] row : rows) {
            list.add(Arrays.asList(row));
        }
        return new TestTable(name, schema, list, 2, 2);
    }

    @Override
    public ScanPlan plan(ScanRequest request) {
        List<Split> splits = new ArrayList<>();
        for (int from = 0; from < rows.size(); from += rowsPerSplit) {
            splits.add(new MemorySplit(rows.subList(from, Math.min(rows.size(), from + rowsPerSplit)), request));
        }
        long bytes = 8L * rows.size() * Math.max(1, schema.size());
        return new ScanPlan(splits, 1, bytes, 0, 0, rows.size(), request.conditions(), List.of());
    }

    private final class MemorySplit implements Split {
        private final List<List<Object>> part;
        private final ScanRequest request;

        MemorySplit(List<List<Object>> part, ScanRequest request) {
            this.part = part;
            this.request = request;
        }

        @Override
        public long bytes() {
            return 8L * part.size();
        }

        @Override
        public String describe() {
            return name + " in memory";
        }

        @Override
        public BatchReader open(ReadContext context) {
            List<Batch> batches = new ArrayList<>();
            for (int from = 0; from < part.size(); from += rowsPerBatch) {
                batches.add(batch(part.subList(from, Math.min(part.size(), from + rowsPerBatch))));
            }
            Iterator<Batch> next = batches.iterator();
            return new BatchReader() {
                @Override
                public Batch next() {
                    return next.hasNext() ? next.next() : null;
                }

                @Override
                public void close() {
                    // nothing to close
                }
            };
        }

        private Batch batch(List<List<Object>> some) {
            Batch all = toBatch(schema, some);
            Column[] wanted = request.columns().stream().map(all::column).toArray(Column[]::new);
            return new Batch(some.size(), wanted);
        }
    }

    /** Rows as columns; text is in any of its forms. */
    public static Batch toBatch(Schema schema, List<List<Object>> rows) {
        BatchBuilder builder = new BatchBuilder(schema);
        for (List<Object> row : rows) {
            for (int c = 0; c < schema.size(); c++) {
                Values.append(builder.column(c), row.get(c));
            }
            builder.endRow();
        }
        Batch batch = builder.build();
        Random random = new Random(rows.size());
        Column[] columns = new Column[schema.size()];
        for (int c = 0; c < columns.length; c++) {
            columns[c] = TextForms.other(batch.column(c), rows.size(), random);
        }
        return new Batch(rows.size(), columns);
    }

    public static List<List<Object>> toRows(Schema schema, List<Batch> batches) {
        List<List<Object>> rows = new ArrayList<>();
        for (Batch batch : batches) {
            for (int r = 0; r < batch.rowCount(); r++) {
                List<Object> row = new ArrayList<>();
                for (int c = 0; c < schema.size(); c++) {
                    row.add(Values.get(batch.column(c), r, schema.field(c).type()));
                }
                rows.add(row);
            }
        }
        return rows;
    }
}
