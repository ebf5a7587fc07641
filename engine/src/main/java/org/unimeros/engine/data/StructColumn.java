package org.unimeros.engine.data;

/** A column of structs: one column per field. What stands in the fields of a null row is undefined. */
public final class StructColumn extends Column {

    private final Column[] fields;

    public StructColumn(Column[] fields, long[] nulls) {
        super(nulls);
        this.fields = fields;
    }

    public Column field(int index) {
        return fields[index];
    }

    public int fieldCount() {
        return fields.length;
    }

    /** A field's values, null wherever the struct is. */
    public Column fieldOrNull(int index, int rows) {
        Column field = fields[index];
        return nulls() == null ? field : field.withNulls(Bits.or(nulls(), field.nulls(), rows));
    }

    @Override
    public StructColumn gather(int[] rows, int n) {
        Column[] out = new Column[fields.length];
        for (int i = 0; i < out.length; i++) {
            out[i] = fields[i].gather(rows, n);
        }
        return new StructColumn(out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public StructColumn withNulls(long[] newNulls) {
        return new StructColumn(fields, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        long bytes = 0;
        for (Column field : fields) {
            bytes += field.sizeInBytes(rows);
        }
        return bytes;
    }

    @Override
    public long spelledOutBytes(int rows) {
        long bytes = 0;
        for (Column field : fields) {
            bytes += field.spelledOutBytes(rows);
        }
        return bytes;
    }
}
