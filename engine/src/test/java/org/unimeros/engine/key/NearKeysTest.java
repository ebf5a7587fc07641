package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertNull;

import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;

class NearKeysTest {

    private static Column longs(long... keys) {
        return new LongColumn(keys, null);
    }

    @Test
    void parcelsAreFoundByIdsThatAreCountedUpFromAnywhere() {
        Random random = new Random(11);
        for (long first : new long[] {0, 1_000_000_007L, -500, Long.MIN_VALUE, Long.MAX_VALUE - 2999}) {
            long[] ids = random.ints(2000, 0, 3000).mapToLong(i -> first + i).toArray();
            NearKeys keys = NearKeys.of(longs(ids), ids.length);
            Map<Long, Integer> expected = new HashMap<>();
            int[] numbers = new int[500];
            for (int from = 0; from < ids.length; from += 500) {
                long[] some = Arrays.copyOfRange(ids, from, from + 500);
                int before = expected.size();
                int fresh = keys.number(some, 500, numbers, before);
                for (int i = 0; i < 500; i++) {
                    assertEquals(expected.computeIfAbsent(some[i], k -> expected.size()), numbers[i]);
                }
                assertEquals(expected.size() - before, fresh);
            }
            // All of them, others among and around them, and some from the far ends.
            long[] asked = new long[4000];
            for (int i = 0; i < asked.length; i++) {
                asked[i] = i < 3900 ? first - 450 + i : random.nextLong();
            }
            asked[3998] = Long.MIN_VALUE;
            asked[3999] = Long.MAX_VALUE;
            int[] found = new int[asked.length];
            keys.reader().find(asked, asked.length, found);
            for (int i = 0; i < asked.length; i++) {
                assertEquals(expected.getOrDefault(asked[i], -1), found[i], "key " + asked[i]);
            }
            keys.clear();
            keys.find(asked, asked.length, found);
            assertEquals(0, Arrays.stream(found).filter(n -> n >= 0).count());
        }
    }

    @Test
    void keysThatAreFarApartAreLeftToOthers() {
        assertNotNull(NearKeys.of(longs(7), 1));
        assertNotNull(NearKeys.of(longs(0, 1, 17), 3));
        assertNull(NearKeys.of(longs(0, 1, 18), 3), "more than six places for each");
        assertNull(NearKeys.of(longs(Long.MIN_VALUE, Long.MAX_VALUE), 2), "further apart than a long can tell");
        assertNull(NearKeys.of(longs(-1, Long.MAX_VALUE), 2));
        assertNull(NearKeys.of(longs(7), 0), "no rows");
        assertNull(NearKeys.of(new DoubleColumn(new double[] {1, 2}, null), 2));
    }

    @Test
    void whatStandsInTheArrayForANullDoesNotCount() {
        assertNotNull(NearKeys.of(new IntColumn(new int[] {5, Integer.MAX_VALUE, 6}, new long[] {0b010}), 3));
        assertNull(NearKeys.of(new IntColumn(new int[] {5, 6}, new long[] {0b11}), 2));
    }
}
