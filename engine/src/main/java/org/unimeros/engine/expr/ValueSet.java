package org.unimeros.engine.expr;

import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.Set;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Expression.Literal;

/** The values of a list that rows are looked up in: sorted numbers, texts in a hash table over their bytes, or objects for rarer types. */
final class ValueSet {

    private final DataType type;
    private final long[] numbers;
    private final TextColumn texts;
    /** Number of a text plus one, by hash; 0 is free. */
    private final int[] slots;

    private final Set<Object> objects;

    ValueSet(DataType type, List<Literal> list) {
        this.type = type;
        List<Object> values = list.stream()
                .map(Literal::value)
                .filter(Objects::nonNull)
                .distinct()
                .toList();
        ColumnBuilder builder = ColumnBuilder.of(type);
        values.forEach(v -> Values.append(builder, v));
        Column column = builder.build();
        this.numbers = switch (column) {
            case IntColumn c ->
                Arrays.stream(c.values(), 0, values.size())
                        .asLongStream()
                        .sorted()
                        .toArray();
            case LongColumn c ->
                Arrays.stream(c.values(), 0, values.size()).sorted().toArray();
            default -> null;
        };
        this.texts = column instanceof TextColumn t ? t : null;
        this.slots = texts == null ? null : slots(texts, values.size());
        this.objects = numbers == null && texts == null
                ? values.stream().map(ValueSet::canonical).collect(Collectors.toSet())
                : null;
    }

    private static int[] slots(TextColumn texts, int count) {
        int[] slots = new int[Integer.highestOneBit(Math.max(1, count)) << 2];
        for (int i = 0; i < count; i++) {
            int slot = hash(texts.bytes(), texts.start(i), texts.end(i)) & slots.length - 1;
            while (slots[slot] != 0) {
                slot = slot + 1 & slots.length - 1;
            }
            slots[slot] = i + 1;
        }
        return slots;
    }

    private static int hash(byte[] bytes, int start, int end) {
        int hash = end - start;
        for (int i = start; i < end; i++) {
            hash = 31 * hash + bytes[i];
        }
        return hash ^ hash >>> 15;
    }

    /** Which rows have a value of the list; null for those that are null. */
    BooleanColumn contains(Column column, int rows) {
        long[] out = Bits.make(rows);
        switch (column) {
            case IntColumn c -> {
                int[] values = c.values();
                for (int i = 0; i < rows; i++) {
                    set(out, i, Arrays.binarySearch(numbers, values[i]) >= 0);
                }
            }
            case LongColumn c -> {
                long[] values = c.values();
                for (int i = 0; i < rows; i++) {
                    set(out, i, Arrays.binarySearch(numbers, values[i]) >= 0);
                }
            }
            case TextColumn c -> texts(c, rows, out);
            default -> {
                for (int i = 0; i < rows; i++) {
                    set(out, i, !column.isNull(i) && objects.contains(canonical(Values.get(column, i, type))));
                }
            }
        }
        return new BooleanColumn(out, column.nulls());
    }

    private static void set(long[] bits, int row, boolean value) {
        bits[row >>> 6] |= (value ? 1L : 0L) << row;
    }

    /** Each entry of a dictionary is looked up once. */
    private void texts(TextColumn column, int rows, long[] out) {
        int[] ids = column.ids();
        if (ids == null || column.entries() > rows) {
            for (int i = 0; i < rows; i++) {
                set(out, i, has(column, column.start(i), column.end(i)));
            }
            return;
        }
        boolean[] found = new boolean[column.entries()];
        for (int v = 0; v < found.length; v++) {
            found[v] = has(column, column.startOf(v), column.endOf(v));
        }
        for (int i = 0; i < rows; i++) {
            set(out, i, ids[i] < found.length && found[ids[i]]);
        }
    }

    private boolean has(TextColumn column, int start, int end) {
        byte[] bytes = column.bytes();
        int slot = hash(bytes, start, end) & slots.length - 1;
        while (slots[slot] != 0) {
            int known = slots[slot] - 1;
            if (Arrays.equals(bytes, start, end, texts.bytes(), texts.start(known), texts.end(known))) {
                return true;
            }
            slot = slot + 1 & slots.length - 1;
        }
        return false;
    }

    /** The two zeros are equal. */
    private static Object canonical(Object value) {
        return value instanceof Double d ? (Object) (d + 0.0) : value instanceof Float f ? (Object) (f + 0.0f) : value;
    }
}
