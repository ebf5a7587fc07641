package org.unimeros.storage.format;

import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.expr.Types;

/** Finds the narrowest type that fits all samples of a column. */
public final class TypeGuess {

    private static final DataType[] TEXT_FORMS = {
        DataType.INT, DataType.LONG, DataType.DOUBLE, DataType.DATE, DataType.TIMESTAMP
    };

    private DataType type = DataType.NULL;

    /** A sample as text; null says nothing. */
    public void addText(String sample) {
        if (sample == null || type == DataType.TEXT) {
            return;
        }
        add(ofText(sample));
    }

    public void add(DataType sample) {
        type = Types.common(type, sample).orElse(DataType.TEXT);
    }

    /** Words such as true and yes are truth values, but 0 and 1 are numbers; a number with a leading zero is a code. */
    private static DataType ofText(String sample) {
        if (sample.equalsIgnoreCase("true") || sample.equalsIgnoreCase("false")) {
            return DataType.BOOLEAN;
        }
        boolean code = sample.matches("0[0-9]+");
        char first = sample.isEmpty() ? ' ' : sample.charAt(0);
        boolean plausible = Character.isDigit(first) || first == '-' || first == '+' || first == '.';
        if (code || !plausible) {
            return DataType.TEXT;
        }
        for (DataType form : TEXT_FORMS) {
            if (Parse.value(sample, form).isPresent()) {
                return form;
            }
        }
        return DataType.TEXT;
    }

    /** Whether there was a sample. */
    public boolean isKnown() {
        return type != DataType.NULL;
    }

    /** The type; text when there was no sample. */
    public DataType type() {
        return type == DataType.NULL ? DataType.TEXT : type;
    }
}
