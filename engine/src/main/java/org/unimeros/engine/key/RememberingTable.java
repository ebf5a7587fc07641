package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;

/** Puts what {@link RememberingLookUp} remembers before a table to which keys are added. */
final class RememberingTable extends RememberingLookUp implements KeyTable {

    private final KeyTable table;

    RememberingTable(KeyTable table) {
        super(table);
        this.table = table;
    }

    @Override
    public int size() {
        return table.size();
    }

    @Override
    public void number(Column[] columns, int rows, int[] out) {
        ask(columns, rows, out, table::number);
    }

    @Override
    public RowsByGroup rowsByKey() {
        return rowsOfLast();
    }

    @Override
    public void expect(int more) {
        table.expect(more);
    }

    @Override
    public Column[] takeKeys() {
        forget();
        return table.takeKeys();
    }
}
