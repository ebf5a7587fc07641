package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.ByteArrayOutputStream;
import java.util.Random;

/** Columns of text in other forms than builders make, with the same values. */
public final class TextForms {

    private TextForms() {}

    /** A column of any type in which text, where it is a column of its own, is sometimes in slices, and sometimes in a dictionary of these. */
    public static Column other(Column column, int rows, Random random) {
        if (!(column instanceof TextColumn text) || rows == 0) {
            return column;
        }
        return switch (random.nextInt(3)) {
            case 0 -> text;
            case 1 -> slices(text, rows, random);
            default -> dictionary(text, rows, random);
        };
    }

    /** Slices with other bytes between them, the last ones first. */
    static TextColumn slices(TextColumn text, int rows, Random random) {
        int[] starts = new int[rows];
        int[] ends = new int[rows];
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        for (int i = rows - 1; i >= 0; i--) {
            bytes.writeBytes("?".repeat(random.nextInt(3)).getBytes(US_ASCII));
            starts[i] = bytes.size();
            bytes.write(text.bytes(), text.start(i), text.end(i) - text.start(i));
            ends[i] = bytes.size();
        }
        return TextColumn.slices(bytes.toByteArray(), starts, ends, text.nulls());
    }

    /** Rows are entries in another order, and behind them stands one that no row has. */
    static TextColumn dictionary(TextColumn text, int rows, Random random) {
        int turn = random.nextInt(rows);
        int[] entries = new int[rows + 1];
        int[] ids = new int[rows];
        for (int i = 0; i < rows; i++) {
            ids[i] = (i + turn) % rows;
            entries[ids[i]] = i;
        }
        TextColumn values = slices(text.gather(entries, rows + 1), rows + 1, random);
        return TextColumn.encoded(ids, values, rows + 1, text.nulls());
    }
}
