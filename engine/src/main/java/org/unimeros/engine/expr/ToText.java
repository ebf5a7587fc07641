package org.unimeros.engine.expr;

import java.time.LocalDate;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;

/** Casts to text without an object for each value; what they give is what {@link org.unimeros.engine.data.Values#text} gives. */
final class ToText {

    /** Enough for the digits of any long with sign, point and zeros, and for any timestamp. */
    private static final int ROOM = 64;

    private static final long SECOND = 1_000_000L;

    private final byte[] room = new byte[ROOM];
    private int at = ROOM;

    private ToText() {}

    /** Whether this class knows the cast. */
    static boolean isDefined(DataType from) {
        return from == DataType.INT
                || from == DataType.LONG
                || from == DataType.DATE
                || from == DataType.TIMESTAMP
                || from instanceof Decimal d && !d.isWide();
    }

    static Column texts(Column column, int rows, DataType from) {
        if (from == DataType.DATE) {
            return days(((IntColumn) column).values(), rows, column.nulls());
        }
        if (from == DataType.TIMESTAMP) {
            return timestamps((LongColumn) column, rows);
        }
        int scale = from instanceof Decimal d ? d.scale() : 0;
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        ToText text = new ToText();
        for (int i = 0; i < rows; i++) {
            text.number(column instanceof IntColumn c ? c.values()[i] : ((LongColumn) column).values()[i], scale);
            text.appendTo(out);
        }
        return out.build().withNulls(column.nulls());
    }

    private static Column timestamps(LongColumn column, int rows) {
        long[] micros = column.values();
        TextColumn days = days(Days.of(micros, rows), rows, column.nulls());
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        ToText text = new ToText();
        for (int i = 0; i < rows; i++) {
            text.time(Math.floorMod(micros[i], Interval.MICROS_PER_DAY));
            text.before(days, i);
            text.appendTo(out);
        }
        return out.build().withNulls(column.nulls());
    }

    private static TextColumn days(int[] days, int rows, long[] nulls) {
        return Days.texts(days, rows, nulls, day -> LocalDate.ofEpochDay(day).toString());
    }

    private void appendTo(ColumnBuilder out) {
        out.appendText(room, at, ROOM - at);
        at = ROOM;
    }

    private void before(TextColumn texts, int row) {
        int start = texts.start(row);
        int length = texts.end(row) - start;
        at -= length;
        System.arraycopy(texts.bytes(), start, room, at, length);
    }

    private void number(long value, int scale) {
        // Digits of the negative number, of which there is one more than of positive ones.
        long left = value > 0 ? -value : value;
        int digits = 0;
        while (left != 0 || digits <= scale) {
            if (digits == scale && scale > 0) {
                room[--at] = '.';
            }
            room[--at] = (byte) ('0' - left % 10);
            left /= 10;
            digits++;
        }
        if (value < 0) {
            room[--at] = '-';
        }
    }

    /** A time of the day with the blank before it, and as many digits of the second as it needs. */
    private void time(long microsOfDay) {
        int fraction = (int) (microsOfDay % SECOND);
        if (fraction > 0) {
            int digits = 6;
            for (; fraction % 10 == 0; digits--) {
                fraction /= 10;
            }
            for (; digits > 0; digits--) {
                room[--at] = (byte) ('0' + fraction % 10);
                fraction /= 10;
            }
            room[--at] = '.';
        }
        int second = (int) (microsOfDay / SECOND);
        twoDigits(second % 60, ':');
        twoDigits(second / 60 % 60, ':');
        twoDigits(second / 3600, ' ');
    }

    private void twoDigits(int value, char before) {
        room[--at] = (byte) ('0' + value % 10);
        room[--at] = (byte) ('0' + value / 10);
        room[--at] = (byte) before;
    }
}
