package org.unimeros.engine.key;

import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;

/** Numbers keys of any columns by their hashes. */
final class RowTable implements KeyTable {

    private final ColumnBuilder[] keys;
    private final HashSlots slots;
    private int size;

    RowTable(List<DataType> types) {
        keys = types.stream().map(ColumnBuilder::of).toArray(ColumnBuilder[]::new);
        slots = new HashSlots(keys, false);
    }

    private RowTable(RowTable shared) {
        keys = shared.keys;
        slots = shared.slots.reader();
        size = shared.size;
    }

    @Override
    public KeyLookUp reader() {
        return new RowTable(this);
    }

    @Override
    public int size() {
        return size;
    }

    @Override
    public void number(Column[] columns, int rows, int[] out) {
        size = slots.number(columns, rows, out, size);
    }

    @Override
    public void find(Column[] columns, int rows, int[] out) {
        slots.find(columns, rows, out);
    }

    /** Which rows have which number is not known here. */
    @Override
    public RowsByGroup rowsByKey() {
        return null;
    }

    @Override
    public void expect(int more) {
        slots.reserve(more);
    }

    @Override
    public Column[] takeKeys() {
        Column[] columns = new Column[keys.length];
        for (int i = 0; i < keys.length; i++) {
            columns[i] = Zeros.positive(keys[i].build());
        }
        slots.clear();
        size = 0;
        return columns;
    }

    /** Its memory is that of the collector. */
    @Override
    public void release() {
        // nothing of it is kept for others
    }

    @Override
    public long sizeInBytes() {
        long bytes = slots.sizeInBytes();
        for (ColumnBuilder key : keys) {
            bytes += key.sizeInBytes();
        }
        return bytes;
    }
}
