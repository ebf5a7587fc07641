package org.unimeros.storage.format;

import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.expr.Types;

/** Finds the narrowest type that fits all samples of a column. */
public final class TypeGuess {

    private static final DataType[] NUMBERS = {DataType.INT, DataType.LONG, DataType.DOUBLE};
    private static final DataType[] TIMES = {DataType.DATE, DataType.TIMESTAMP};
    private static final DataType[] TIMESTAMPS = {DataType.TIMESTAMP};

    /** Samples of the rarer kind are probably mistakes when they are fewer than one in so many. */
    private static final int RARE = 10;

    private static final int MOST_DIGITS_BEHIND = 6;

    private DataType type = DataType.NULL;
    private DataType typed = DataType.NULL;
    private long texts;
    private long others;
    private boolean codes;
    /** Of numbers with a point, the most digits before and behind it; -1 behind where one has another form. */
    private int before;

    private int behind;

    /** A sample as text; null says nothing. */
    public void addText(String sample) {
        if (sample != null) {
            codes |= isCode(sample);
            DataType found = ofText(sample);
            if (found == DataType.DOUBLE || found == DataType.LONG || found == DataType.INT) {
                noteDigits(sample.strip());
            }
            add(found);
        }
    }

    public void add(DataType sample) {
        if (sample == DataType.TEXT) {
            texts++;
        } else {
            others++;
            typed = sample;
        }
        type = Types.common(type, sample).orElse(DataType.TEXT);
    }

    private void noteDigits(String number) {
        int sign = number.startsWith("-") || number.startsWith("+") ? 1 : 0;
        int point = number.indexOf('.');
        boolean isPlain = number.chars().skip(sign).allMatch(c -> c == '.' || c >= '0' && c <= '9');
        before = Math.max(before, (point < 0 ? number.length() : point) - sign);
        int digits = point < 0 ? 0 : number.length() - point - 1;
        behind = isPlain && behind >= 0 ? Math.max(behind, digits) : -1;
    }

    /** Fractions of few digits are amounts, which sums and comparisons must find exactly; others are measured. */
    private boolean isExact() {
        return type == DataType.DOUBLE
                && behind > 0
                && behind <= MOST_DIGITS_BEHIND
                && before + behind <= DataType.Decimal.LONG_PRECISION;
    }

    /** Digits with a leading zero, such as postcodes: not a number. */
    private static boolean isCode(String sample) {
        if (sample.length() < 2 || sample.charAt(0) != '0') {
            return false;
        }
        for (int i = 1; i < sample.length(); i++) {
            if (sample.charAt(i) < '0' || sample.charAt(i) > '9') {
                return false;
            }
        }
        return true;
    }

    /** Words such as true and yes are truth values, but 0 and 1 are numbers; a number with a leading zero is a code. */
    private static DataType ofText(String sample) {
        if (sample.equalsIgnoreCase("true") || sample.equalsIgnoreCase("false")) {
            return DataType.BOOLEAN;
        }
        char first = sample.isEmpty() ? ' ' : sample.charAt(0);
        boolean plausible = Character.isDigit(first) || first == '-' || first == '+' || first == '.';
        if (isCode(sample) || !plausible) {
            return DataType.TEXT;
        }
        // What does not fit is found by an exception, which takes long.
        DataType[] times = sample.indexOf(':') < 0 ? TIMES : TIMESTAMPS;
        for (DataType form : isTime(sample) ? times : NUMBERS) {
            if (Parse.value(sample, form).isPresent()) {
                return form;
            }
        }
        return DataType.TEXT;
    }

    /** Whether the first digits end with a hyphen: such a text is a date or nothing, so that it need not be tried as a number. */
    private static boolean isTime(String sample) {
        int at = 1;
        while (at < sample.length() && Character.isDigit(sample.charAt(at))) {
            at++;
        }
        return at < sample.length() && sample.charAt(at) == '-';
    }

    /** A remark for the user where a few samples do not fit the type of the others, so that the column is read as text. */
    public Optional<String> remark(String column) {
        long rarer = Math.min(texts, others);
        boolean suspicious = rarer > 0 && !codes && rarer * RARE < texts + others;
        return suspicious
                ? Optional.of("column " + column + " is read as text, because it is " + typed
                        + " in some records and text in" + " others; declare its type to have the others reported")
                : Optional.empty();
    }

    /** Whether there was a sample. */
    public boolean isKnown() {
        return type != DataType.NULL;
    }

    /** The type; text when there was no sample. */
    public DataType type() {
        if (isExact()) {
            return new DataType.Decimal(DataType.Decimal.LONG_PRECISION, behind);
        }
        return type == DataType.NULL ? DataType.TEXT : type;
    }
}
