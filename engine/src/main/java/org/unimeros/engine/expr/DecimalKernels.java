package org.unimeros.engine.expr;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.LongColumn;

/** Functions of decimals, on their scaled whole numbers. */
final class DecimalKernels {

    private DecimalKernels() {}

    /** The values in units of more, what is left over cut off. */
    static Column cut(Column column, int rows, long[] nulls, long unit) {
        long[] values = ((LongColumn) column).values();
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = values[i] / unit;
        }
        return new LongColumn(out, nulls);
    }
}
