package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.StructColumn;

/**
 * The two zeros of floating point are one key, which is 0.0 whichever of them came first: else what a query gives would depend on the order of
 * rows.
 */
final class Zeros {

    private Zeros() {}

    /** A column with 0.0 wherever it has -0.0, within lists and structs too; itself where it has none. */
    static Column positive(Column column) {
        return switch (column) {
            case DoubleColumn doubles -> positive(doubles);
            case ListColumn lists -> {
                Column elements = positive(lists.elements());
                yield elements == lists.elements() ? lists : lists.withElements(elements);
            }
            case StructColumn structs -> positive(structs);
            default -> column;
        };
    }

    private static Column positive(DoubleColumn column) {
        double[] values = column.values();
        int at = 0;
        while (at < values.length && !isNegativeZero(values[at])) {
            at++;
        }
        if (at == values.length) {
            return column;
        }
        double[] out = values.clone();
        for (; at < out.length; at++) {
            out[at] += 0.0;
        }
        return new DoubleColumn(out, column.nulls());
    }

    private static boolean isNegativeZero(double value) {
        return Double.doubleToRawLongBits(value) == Long.MIN_VALUE;
    }

    private static Column positive(StructColumn column) {
        Column[] fields = new Column[column.fieldCount()];
        boolean isSame = true;
        for (int i = 0; i < fields.length; i++) {
            fields[i] = positive(column.field(i));
            isSame &= fields[i] == column.field(i);
        }
        return isSame ? column : new StructColumn(fields, column.nulls());
    }
}
