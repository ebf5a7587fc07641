package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.TextColumn;

/**
 * Numbers the keys of one column of texts: short ones, which are whole numbers then ({@link ShortTexts}), and those that are longer by their
 * hashes. Of a batch, the short ones come first.
 */
final class TextTable implements KeyTable {

    /** All keys by number, the short and the long ones. */
    private final ColumnBuilder keys;

    private final WholeKeys shortKeys;
    private final HashSlots longKeys;
    private final ShortTexts texts = new ShortTexts();
    private int size;

    /** @param type text, or another that is kept as bytes */
    TextTable(DataType type) {
        keys = ColumnBuilder.of(type);
        shortKeys = new WholeKeys();
        longKeys = new HashSlots(new ColumnBuilder[] {keys}, true);
    }

    private TextTable(TextTable shared) {
        keys = shared.keys;
        shortKeys = shared.shortKeys.reader();
        longKeys = shared.longKeys.reader();
        size = shared.size;
    }

    @Override
    public KeyLookUp reader() {
        return new TextTable(this);
    }

    @Override
    public int size() {
        return size;
    }

    @Override
    public void number(Column[] columns, int rows, int[] out) {
        lookUp((TextColumn) columns[0], rows, out, true);
    }

    @Override
    public void find(Column[] columns, int rows, int[] out) {
        lookUp((TextColumn) columns[0], rows, out, false);
    }

    private void lookUp(TextColumn column, int rows, int[] out, boolean add) {
        texts.divide(column, rows);
        int longCount = texts.longCount();
        if (longCount == rows) {
            lookUpLong(column, rows, out, add);
            return;
        }
        if (longCount == 0) {
            lookUpShort(column, rows, out, add);
            return;
        }
        int[] found = new int[rows];
        lookUpShort(column, texts.shortCount(), found, add);
        scatter(found, texts.shortRows(), texts.shortCount(), out);
        lookUpLong(column.gather(texts.longRows(), longCount), longCount, found, add);
        scatter(found, texts.longRows(), longCount, out);
    }

    private static void scatter(int[] from, int[] rows, int n, int[] to) {
        for (int i = 0; i < n; i++) {
            to[rows[i]] = from[i];
        }
    }

    private void lookUpLong(Column column, int rows, int[] out, boolean add) {
        Column[] columns = {column};
        if (add) {
            size = longKeys.number(columns, rows, out, size);
        } else {
            longKeys.find(columns, rows, out);
        }
    }

    private void lookUpShort(TextColumn column, int n, int[] out, boolean add) {
        if (!add) {
            shortKeys.find(texts.words(), n, out);
            return;
        }
        int end = size + shortKeys.number(texts.words(), n, out, size);
        for (int i = 0; size < end; i++) {
            if (out[i] == size) {
                size++;
                keys.append(column, texts.shortRows()[i]);
            }
        }
    }

    /** Which rows have which number is not known here. */
    @Override
    public RowsByGroup rowsByKey() {
        return null;
    }

    /** Expects keys of the kind that most have which are there. */
    @Override
    public void expect(int more) {
        if (longKeys.entries() < size / 2) {
            shortKeys.expect(more);
        } else {
            longKeys.reserve(more);
        }
    }

    @Override
    public Column[] takeKeys() {
        Column[] taken = {keys.build()};
        shortKeys.clear();
        longKeys.clear();
        size = 0;
        return taken;
    }

    @Override
    public void release() {
        shortKeys.release();
    }

    @Override
    public long sizeInBytes() {
        return shortKeys.sizeInBytes() + longKeys.sizeInBytes() + keys.sizeInBytes();
    }
}
