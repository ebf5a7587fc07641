package org.unimeros.engine.data;

/**
 * Reads characters into columns by the rules of {@link Parse}; the usual forms of numbers and dates without an object for each. Not
 * thread-safe.
 */
public final class FieldParser {

    private static final double[] POWERS = powers();

    /** What was scanned last: all digits, how many there are, and how many of them stand behind the point. */
    private long unscaled;

    private int digits;
    private int behind;

    private static double[] powers() {
        double[] powers = new double[23];
        for (int i = 0; i < powers.length; i++) {
            powers[i] = Double.parseDouble("1e" + i);
        }
        return powers;
    }

    /** How the values of a type are read. */
    public enum Form {
        TEXT,
        INT,
        LONG,
        DOUBLE,
        DATE,
        TIMESTAMP,
        DECIMAL,
        OTHER;

        public static Form of(DataType type) {
            return switch (type) {
                case DataType.Simple.TEXT -> TEXT;
                case DataType.Simple.INT -> INT;
                case DataType.Simple.LONG -> LONG;
                case DataType.Simple.DOUBLE -> DOUBLE;
                case DataType.Simple.DATE -> DATE;
                case DataType.Simple.TIMESTAMP -> TIMESTAMP;
                case DataType.Decimal d -> DECIMAL;
                default -> OTHER;
            };
        }
    }

    /** Appends a value; false when it does not fit the type, in which case nothing was appended. */
    public boolean append(char[] chars, int offset, int length, Form form, DataType type, ColumnBuilder to) {
        return switch (form) {
            case TEXT -> {
                to.appendText(chars, offset, length);
                yield true;
            }
            case INT -> whole(chars, offset, length, Integer.MAX_VALUE, to, true);
            case LONG -> whole(chars, offset, length, Long.MAX_VALUE, to, false);
            case DOUBLE -> number(chars, offset, length, to);
            case DATE -> date(chars, offset, length, to);
            case TIMESTAMP -> timestamp(chars, offset, length, to);
            case DECIMAL -> decimal(chars, offset, length, (DataType.Decimal) type, to);
            case OTHER -> other(chars, offset, length, type, to);
        };
    }

    private static boolean whole(char[] chars, int offset, int length, long most, ColumnBuilder to, boolean isInt) {
        int end = offset + length;
        boolean negative = length > 0 && chars[offset] == '-';
        int at = negative ? offset + 1 : offset;
        if (at == end || end - at > 18) {
            return other(chars, offset, length, isInt ? DataType.INT : DataType.LONG, to);
        }
        long value = 0;
        for (; at < end; at++) {
            int digit = chars[at] - '0';
            if (digit < 0 || digit > 9) {
                return other(chars, offset, length, isInt ? DataType.INT : DataType.LONG, to);
            }
            value = value * 10 + digit;
        }
        if (value > most) {
            return other(chars, offset, length, isInt ? DataType.INT : DataType.LONG, to);
        }
        if (isInt) {
            to.appendInt((int) (negative ? -value : value));
        } else {
            to.appendLong(negative ? -value : value);
        }
        return true;
    }

    /**
     * Up to 15 digits and a power of ten up to 22 are exact doubles, and so one division rounds correctly (W. D.
     * Clinger, "How to read floating point numbers accurately", 1990); all else goes to the JDK.
     */
    private boolean number(char[] chars, int offset, int length, ColumnBuilder to) {
        boolean negative = length > 0 && chars[offset] == '-';
        if (!scan(chars, negative ? offset + 1 : offset, offset + length) || digits == 0 || digits > 15) {
            return other(chars, offset, length, DataType.DOUBLE, to);
        }
        double value = behind == 0 ? unscaled : unscaled / POWERS[behind];
        to.appendDouble(negative ? -value : value);
        return true;
    }

    /** Decimals that are held as longs and have no more digits behind the point than their type; all else goes by text. */
    private boolean decimal(char[] chars, int offset, int length, DataType.Decimal type, ColumnBuilder to) {
        boolean negative = length > 0 && chars[offset] == '-';
        boolean plain = scan(chars, negative ? offset + 1 : offset, offset + length);
        int missing = type.scale() - behind;
        if (!plain || type.isWide() || digits == 0 || missing < 0 || digits + missing > type.precision()) {
            return other(chars, offset, length, type, to);
        }
        long value = unscaled;
        for (int i = 0; i < missing; i++) {
            value *= 10;
        }
        to.appendLong(negative ? -value : value);
        return true;
    }

    /** Reads digits with at most one point before, behind or among them; false when there is anything else. */
    private boolean scan(char[] chars, int first, int end) {
        long value = 0;
        int at = first;
        for (; at < end && isDigit(chars[at]); at++) {
            value = value * 10 + (chars[at] - '0');
        }
        int point = at;
        if (at < end && chars[at] == '.') {
            at++;
            for (; at < end && isDigit(chars[at]); at++) {
                value = value * 10 + (chars[at] - '0');
            }
        }
        behind = Math.max(0, at - point - 1);
        digits = point - first + behind;
        unscaled = value;
        return at == end;
    }

    private static boolean isDigit(char c) {
        return c >= '0' && c <= '9';
    }

    private static boolean date(char[] chars, int offset, int length, ColumnBuilder to) {
        long day = IsoText.date(chars, offset, length);
        if (day == IsoText.UNKNOWN) {
            return other(chars, offset, length, DataType.DATE, to);
        }
        to.appendInt((int) day);
        return true;
    }

    private static boolean timestamp(char[] chars, int offset, int length, ColumnBuilder to) {
        long micros = IsoText.timestamp(chars, offset, length);
        if (micros == IsoText.UNKNOWN) {
            return other(chars, offset, length, DataType.TIMESTAMP, to);
        }
        to.appendLong(micros);
        return true;
    }

    private static boolean other(char[] chars, int offset, int length, DataType type, ColumnBuilder to) {
        return Parse.value(new String(chars, offset, length), type)
                .map(value -> {
                    Values.append(to, value);
                    return true;
                })
                .orElse(false);
    }
}
