package org.unimeros.storage.format;

import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.expr.Types;

/** Finds the narrowest type that fits all samples of a column. */
public final class TypeGuess {

    private static final DataType[] TEXT_FORMS = {
        DataType.INT, DataType.LONG, DataType.DOUBLE, DataType.DATE, DataType.TIMESTAMP
    };

    private DataType type = DataType.NULL;
    private DataType misfit;
    private DataType before;

    /** A sample as text; null says nothing. */
    public void addText(String sample) {
        if (sample == null) {
            return;
        }
        add(ofText(sample));
    }

    public void add(DataType sample) {
        Optional<DataType> common = Types.common(type, sample);
        if (common.isEmpty() && misfit == null) {
            before = type;
            misfit = sample;
        }
        type = common.orElse(DataType.TEXT);
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

    /** A remark for the user where samples had types that do not meet, so that the column is read as text. */
    public Optional<String> remark(String column) {
        return misfit == null
                ? Optional.empty()
                : Optional.of("column " + column + " is " + before + " in some records and " + misfit
                        + " in others, and is read as text; declare its type to have the others reported");
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
