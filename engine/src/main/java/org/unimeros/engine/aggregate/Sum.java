package org.unimeros.engine.aggregate;

import java.util.Collections;
import java.util.List;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate;

/** A sum of values, in the form that keeps those of a type exact. */
abstract class Sum extends Accumulator {

    final SeenGroups seen = new SeenGroups();

    static Sum of(Aggregate aggregate, DataType type) {
        if (type.isFloating()) {
            return new SumOfDoubles();
        }
        return type.physical() == DataType.Physical.WIDE ? new SumOfWides(aggregate) : new SumOfLongs(aggregate);
    }

    /** The types of the partial columns of a sum of values of a type. */
    static List<DataType> partialTypes(DataType type) {
        if (type.isFloating()) {
            return List.of(DataType.DOUBLE, DataType.DOUBLE);
        }
        return Collections.nCopies(type.physical() == DataType.Physical.WIDE ? SumOfWides.WORDS : 2, DataType.LONG);
    }

    /** The sum of a group as a double, rounded once; of decimals held as longs, that of their unscaled values. */
    abstract double total(int group);
}
