package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.HashMap;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.code.Combiner;
import org.unimeros.code.Combiners;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.record.RecordShape;
import org.unimeros.engine.record.TextSlice;

/** Pairs that are combined before they are columns, beside a map. */
class EarlyCombinerTest {

    private static final Combiner<Object, Long> ADDING = (key, values, out) -> {
        long sum = 0;
        for (long value : values) {
            sum += value;
        }
        out.add(sum);
    };

    record Place(String depot, int lane) {}

    /** What came out: sums by key and reducer, and how many pairs there were. */
    private static final class Left implements EarlyCombiner.Rows {
        private final Map<String, Long> sums = new HashMap<>();
        private int pairs;

        @Override
        public void append(Object key, Object value, int reducer) {
            pairs++;
            sums.merge(key + "/" + reducer, (Long) value, Long::sum);
        }
    }

    @SuppressWarnings({"unchecked", "rawtypes"})
    private static EarlyCombiner combiner(Combiner<?, Long> code, Class<?> key, long memory, Left left) {
        return EarlyCombiner.of((Combiner) code, (RecordShape) RecordShape.of(key), memory, left);
    }

    private static Object key(Class<?> type, int number) {
        String text = "depot " + Integer.toString(number * 31, 36);
        if (type == TextSlice.class) {
            return TextSlice.of(("at " + text + ", lane").getBytes(), 3, text.length());
        }
        return type == String.class ? text : new Place(text, number % 7);
    }

    private static Left check(Combiner<?, Long> code, Class<?> type, int keys, long memory) {
        Random random = new Random(keys);
        Map<String, Long> expected = new HashMap<>();
        Left left = new Left();
        EarlyCombiner combiner = combiner(code, type, memory, left);
        for (int i = 0; i < 100_000; i++) {
            Object key = key(type, random.nextInt(keys));
            int reducer = random.nextInt(2);
            long value = random.nextInt(100) - 20;
            expected.merge(key + "/" + reducer, value, Long::sum);
            combiner.add(key, value, reducer);
        }
        combiner.flush();
        assertEquals(expected, left.sums);
        return left;
    }

    @ParameterizedTest
    @ValueSource(classes = {String.class, TextSlice.class, Place.class})
    void fewKeysLeaveAPairEach(Class<?> type) {
        assertEquals(2 * 500, check(ADDING, type, 500, 64 << 20).pairs);
        assertEquals(2 * 500, check(Combiners.sum(), type, 500, 64 << 20).pairs);
    }

    @ParameterizedTest
    @ValueSource(classes = {String.class, TextSlice.class, Place.class})
    void littleMemoryOrManyKeysLeaveMorePairsAndTheSameSums(Class<?> type) {
        for (int keys : new int[] {3, 2_000, 90_000}) {
            for (long memory : new long[] {0, 20_000, 1 << 20}) {
                check(ADDING, type, keys, memory);
                check(Combiners.sum(), type, keys, memory);
            }
        }
    }

    @Test
    void aCombinerThatMakesNothingFewerIsLeftOut() {
        int[] calls = {0};
        Left left = new Left();
        Combiner<Object, Long> keeps = (key, values, out) -> {
            calls[0]++;
            values.forEach(out::add);
        };
        EarlyCombiner combiner = combiner(keeps, String.class, 64 << 20, left);
        for (int i = 0; i < 100_000; i++) {
            combiner.add(key(String.class, i % 10), 1L, 0);
        }
        combiner.flush();
        assertEquals(100_000, left.pairs);
        assertTrue(calls[0] < 5_000, "called " + calls[0] + " times");
    }

    @Test
    void aCombinerCanGiveMoreValuesThanItRead() {
        Left left = new Left();
        Combiner<Object, Long> splits = (key, values, out) -> {
            for (long value : values) {
                out.add(value - 1);
                out.add(1L);
            }
        };
        EarlyCombiner combiner = combiner(splits, String.class, 64 << 20, left);
        for (int i = 0; i < 10_000; i++) {
            combiner.add("depot " + i % 3, 5L, 0);
        }
        combiner.flush();
        assertEquals(
                50_000, left.sums.values().stream().mapToLong(Long::longValue).sum());
    }

    @Test
    void aSumThatIsTooLargeNamesItsKey() {
        EarlyCombiner combiner = combiner(Combiners.sum(), String.class, 64 << 20, new Left());
        combiner.add("depot 7", Long.MAX_VALUE, 0);
        combiner.add("depot 7", 1L, 0);
        UserMistake mistake = assertThrows(UserMistake.class, combiner::flush);
        assertTrue(mistake.getMessage().contains("depot 7"), mistake.getMessage());
    }
}
