package org.unimeros.engine.data;

/**
 * The order of single values: numbers by size, with every NaN equal and above all others; text and bytes by unsigned
 * bytes; false before true; lists element by element, a shorter one before its continuations; structs field by field.
 * Inside lists and structs null equals null and comes last.
 */
public final class ValueOrder {

    private ValueOrder() {}

    /** -1, 0 or 1 for two values that are not null, of columns of one type. */
    public static int compare(Column a, int rowA, Column b, int rowB) {
        return switch (a) {
            case IntColumn c -> Integer.compare(c.values()[rowA], ((IntColumn) b).values()[rowB]);
            case LongColumn c -> Long.compare(c.values()[rowA], ((LongColumn) b).values()[rowB]);
            case DoubleColumn c -> doubles(c.values()[rowA], ((DoubleColumn) b).values()[rowB]);
            case BooleanColumn c -> Boolean.compare(c.value(rowA), ((BooleanColumn) b).value(rowB));
            case TextColumn c -> Integer.signum(TextColumn.compare(c, rowA, (TextColumn) b, rowB));
            case WideColumn c -> {
                WideColumn d = (WideColumn) b;
                yield WideColumn.compare(c.high()[rowA], c.low()[rowA], d.high()[rowB], d.low()[rowB]);
            }
            case ListColumn c -> lists(c, rowA, (ListColumn) b, rowB);
            case StructColumn c -> structs(c, rowA, (StructColumn) b, rowB);
        };
    }

    /** -1, 0 or 1 with NaN above all numbers and the two zeros equal. */
    public static int doubles(double a, double b) {
        return a == b ? 0 : Double.compare(a, b);
    }

    private static int lists(ListColumn a, int rowA, ListColumn b, int rowB) {
        int lengthA = a.length(rowA);
        int lengthB = b.length(rowB);
        for (int i = 0; i < Math.min(lengthA, lengthB); i++) {
            int order = orNull(a.elements(), a.start(rowA) + i, b.elements(), b.start(rowB) + i);
            if (order != 0) {
                return order;
            }
        }
        return Integer.compare(lengthA, lengthB);
    }

    private static int structs(StructColumn a, int rowA, StructColumn b, int rowB) {
        for (int i = 0; i < a.fieldCount(); i++) {
            int order = orNull(a.field(i), rowA, b.field(i), rowB);
            if (order != 0) {
                return order;
            }
        }
        return 0;
    }

    private static int orNull(Column a, int rowA, Column b, int rowB) {
        boolean nullA = a.isNull(rowA);
        boolean nullB = b.isNull(rowB);
        if (nullA || nullB) {
            return nullA == nullB ? 0 : nullA ? 1 : -1;
        }
        return compare(a, rowA, b, rowB);
    }
}
