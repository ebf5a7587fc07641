package org.unimeros.engine.data;

/** Collects structs, each field in a builder of its own. */
final class StructBuilder extends ColumnBuilder {
    private final ColumnBuilder[] fields;

    StructBuilder(ColumnBuilder... fields) {
        this.fields = fields;
    }

    @Override
    public ColumnBuilder field(int index) {
        return fields[index];
    }

    @Override
    public void endStruct() {
        grow();
    }

    @Override
    void appendDefault() {
        for (ColumnBuilder field : fields) {
            field.appendNull();
        }
        grow();
    }

    @Override
    void appendValue(Column from, int row) {
        StructColumn struct = (StructColumn) from;
        for (int i = 0; i < fields.length; i++) {
            fields[i].append(struct.field(i), row);
        }
        grow();
    }

    @Override
    void truncated(int rows) {
        for (ColumnBuilder field : fields) {
            field.truncate(rows);
        }
    }

    @Override
    Column buildValues(int rows, long[] nullRows) {
        Column[] built = new Column[fields.length];
        for (int i = 0; i < built.length; i++) {
            built[i] = fields[i].build();
        }
        return new StructColumn(built, nullRows);
    }

    @Override
    Column view(long[] nullRows) {
        Column[] views = new Column[fields.length];
        for (int i = 0; i < views.length; i++) {
            views[i] = fields[i].peek();
        }
        return new StructColumn(views, nullRows);
    }

    @Override
    public long sizeInBytes() {
        long bytes = 0;
        for (ColumnBuilder field : fields) {
            bytes += field.sizeInBytes();
        }
        return bytes;
    }
}
