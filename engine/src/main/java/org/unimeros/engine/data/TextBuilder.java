package org.unimeros.engine.data;

import java.util.Arrays;

/**
 * Texts one after the other. As long as there are but few different ones, and none comes as bytes, each is kept once, and rows have
 * their numbers.
 */
final class TextBuilder extends ColumnBuilder {
    private byte[] bytes = new byte[256];
    private int[] offsets = new int[65];
    /** The numbers of the texts; null where the texts of all rows stand one after the other. */
    private TextCodes codes;

    private TextCodes spareCodes;
    private int untried;
    private int[] ids = new int[0];

    @Override
    public void appendText(byte[] utf8, int start, int length) {
        spellOut();
        int row = grow();
        int at = row == 0 ? 0 : offsets[row];
        int end = reserve(row, at, length);
        System.arraycopy(utf8, start, bytes, at, length);
        offsets[row + 1] = end;
    }

    @Override
    public void appendText(String value) {
        if (triesCodes()) {
            int number = codes.number(value);
            if (number >= 0) {
                appendNumber(number);
                return;
            }
            giveUpCodes();
        }
        if (!appendPlain(value)) {
            super.appendText(value);
        }
    }

    /** Plain characters, of which most texts are, are their own bytes and need no array of their own; false for others. */
    private boolean appendPlain(String value) {
        int length = value.length();
        int at = place(length);
        byte[] to = bytes;
        for (int i = 0; i < length; i++) {
            char c = value.charAt(i);
            if (c >= 0x80) {
                return false;
            }
            to[at + i] = (byte) c;
        }
        offsets[grow() + 1] = at + length;
        return true;
    }

    /** Where the text of the next row begins, with room for it. */
    private int place(int length) {
        int row = size();
        int at = row == 0 ? 0 : offsets[row];
        reserve(row, at, length);
        return at;
    }

    /** Texts of a batch are numbered from its first row on, or not at all. */
    private boolean triesCodes() {
        if (codes == null && size() == 0 && untried == 0) {
            codes = spareCodes == null ? new TextCodes() : spareCodes;
            codes.clear();
        }
        return codes != null;
    }

    private void giveUpCodes() {
        spellOut();
        untried = TextCodes.PATIENCE;
    }

    private void appendNumber(int number) {
        int row = grow();
        if (row == ids.length) {
            ids = Arrays.copyOf(ids, Math.max(64, larger(row)));
        }
        ids[row] = number;
    }

    /** Goes over to texts one after the other. */
    private void spellOut() {
        if (codes == null) {
            return;
        }
        int rows = size();
        TextColumn texts = codes.view();
        boolean isEmpty = codes.size() == 0;
        codes = null;
        for (int i = 0, at = 0; i < rows; i++) {
            int start = isEmpty ? 0 : texts.start(ids[i]);
            int length = isEmpty ? 0 : texts.end(ids[i]) - start;
            int end = reserve(i, at, length);
            System.arraycopy(texts.bytes(), start, bytes, at, length);
            offsets[i + 1] = end;
            at = end;
        }
    }

    /** Makes room for a text, and returns where it ends. */
    private int reserve(int row, int at, int length) {
        reserveBytes(at, length);
        int end = at + length;
        if (row + 1 >= offsets.length) {
            offsets = Arrays.copyOf(offsets, larger(offsets.length));
        }
        return end;
    }

    @Override
    void expect(int rows) {
        if (size() == 0 && rows > 0) {
            offsets = new int[rows + 1];
        }
    }

    @Override
    void expectBytes(int length) {
        if (size() == 0 && length > 0) {
            bytes = new byte[Math.addExact(length, TextColumn.SHORT)];
        }
    }

    @Override
    void appendDefault() {
        if (codes != null) {
            appendNumber(0);
        } else {
            appendText(bytes, 0, 0);
        }
    }

    @Override
    void appendValue(Column from, int row) {
        TextColumn text = (TextColumn) from;
        int start = text.start(row);
        appendText(text.bytes(), start, text.end(row) - start);
    }

    @Override
    void appendValues(Column from, int rows) {
        TextColumn text = (TextColumn) from;
        int first = growTexts(rows);
        int at = offsets[first];
        if (text.isPlain() && rows > 0) {
            int start = text.startOf(0);
            int shift = at - start;
            reserveBytes(at, text.endOf(rows - 1) - start);
            System.arraycopy(text.bytes(), start, bytes, at, text.endOf(rows - 1) - start);
            for (int i = 0; i < rows; i++) {
                offsets[first + i + 1] = text.endOf(i) + shift;
            }
            return;
        }
        for (int i = 0; i < rows; i++) {
            at = put(text, i, at);
            offsets[first + i + 1] = at;
        }
    }

    @Override
    void appendValues(Column from, int[] rows, int start, int end) {
        TextColumn text = (TextColumn) from;
        int next = growTexts(end - start) + 1;
        int at = offsets[next - 1];
        for (int i = start; i < end; i++) {
            at = put(text, rows[i], at);
            offsets[next++] = at;
        }
    }

    @Override
    void appendValues(Column[] from, int[] which, int[] rows, int n) {
        TextColumn[] sources = new TextColumn[from.length];
        for (int i = 0; i < sources.length; i++) {
            sources[i] = (TextColumn) from[i];
        }
        int first = growTexts(n);
        int at = offsets[first];
        for (int i = 0; i < n; i++) {
            at = put(sources[which[i]], rows[i], at);
            offsets[first + i + 1] = at;
        }
    }

    /** Counts rows whose texts are put behind those that are there; returns the number of the first. */
    private int growTexts(int rows) {
        spellOut();
        int first = grow(rows);
        if (first + rows >= offsets.length) {
            offsets = Arrays.copyOf(offsets, Math.max(first + rows + 1, larger(offsets.length)));
        }
        return first;
    }

    /** Copies a text to a place, and returns the one behind it. */
    private int put(TextColumn text, int row, int at) {
        int start = text.start(row);
        int length = text.end(row) - start;
        reserveBytes(at, length);
        TextColumn.copy(text.bytes(), start, bytes, at, length);
        return at + length;
    }

    private void reserveBytes(int at, int length) {
        if (Math.addExact(at, length) > bytes.length) {
            bytes = Arrays.copyOf(bytes, Math.max(at + length, larger(bytes.length)));
        }
    }

    @Override
    Column buildValues(int rows, long[] nullRows) {
        untried -= untried > 0 ? 1 : 0;
        if (codes != null && codes.size() > 0) {
            TextColumn dictionary = codes.dictionary();
            spareCodes = codes;
            codes = null;
            return TextColumn.encoded(Arrays.copyOf(ids, rows), dictionary, spareCodes.size(), nullRows);
        }
        spellOut();
        int end = rows == 0 ? 0 : offsets[rows];
        if (rows > 0 && offsets.length == rows + 1 && bytes.length - end <= TextColumn.SHORT) {
            TextColumn all = new TextColumn(bytes, offsets, nullRows);
            bytes = new byte[256];
            offsets = new int[65];
            return all;
        }
        return new TextColumn(Arrays.copyOf(bytes, end), Arrays.copyOf(offsets, rows + 1), nullRows);
    }

    @Override
    Column view(long[] nullRows) {
        return codes == null
                ? new TextColumn(bytes, offsets, nullRows)
                : TextColumn.encoded(ids, codes.view(), codes.size(), nullRows);
    }

    @Override
    public long sizeInBytes() {
        return 4L * size() + (codes != null ? codes.sizeInBytes() : size() == 0 ? 0 : offsets[size()]);
    }
}
