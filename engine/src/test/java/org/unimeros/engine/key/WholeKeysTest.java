package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotSame;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;

class WholeKeysTest {

    @Test
    void keysGetNumbersInTheOrderInWhichTheyCome() {
        Random random = new Random(6);
        WholeKeys keys = new WholeKeys();
        Map<Long, Integer> expected = new HashMap<>();
        for (int round = 0; round < 60; round++) {
            long[] batch = random.longs(3000, 0, 1 + 2000L * round).toArray();
            batch[0] = round == 5 ? Long.MIN_VALUE : 0;
            int[] numbers = new int[batch.length];
            if (round % 20 == 7) {
                keys.expect(batch.length);
            }
            keys.number(batch, batch.length, numbers, expected.size());
            for (int i = 0; i < batch.length; i++) {
                int number = expected.computeIfAbsent(batch[i], k -> expected.size());
                assertEquals(number, numbers[i]);
            }
            int[] found = new int[batch.length];
            keys.reader().find(batch, batch.length, found);
            assertArrayEquals(numbers, found);
        }
        int[] none = new int[1];
        keys.find(new long[] {-5}, 1, none);
        assertEquals(-1, none[0]);
        long large = keys.sizeInBytes();
        keys.clear();
        keys.find(new long[] {0}, 1, none);
        assertEquals(-1, none[0]);
        keys.clear();
        assertTrue(keys.sizeInBytes() < large);
    }

    @Test
    void aTableThatWasClearedKnowsNothingOfTheKeysBefore() {
        Random random = new Random(9);
        WholeKeys keys = new WholeKeys();
        for (int round = 0; round < 50; round++) {
            Map<Long, Integer> expected = new HashMap<>();
            // Few enough values for most of them to come in every round, and enough of them to fill a table again.
            long[] batch = random.longs(4000, -3000, 3000).toArray();
            int[] numbers = new int[batch.length];
            int fresh = keys.number(batch, batch.length, numbers, 0);
            for (int i = 0; i < batch.length; i++) {
                assertEquals(expected.computeIfAbsent(batch[i], k -> expected.size()), numbers[i]);
            }
            assertEquals(expected.size(), fresh);
            long[] all = LongStream.range(-3100, 3100).toArray();
            int[] found = new int[all.length];
            keys.find(all, all.length, found);
            for (int i = 0; i < all.length; i++) {
                assertEquals(expected.getOrDefault(all[i], -1), found[i]);
            }
            keys.clear();
        }
    }

    @Test
    void aTableInTheMemoryOfOneBeforeKnowsNothingOfItsKeys() {
        Random random = new Random(10);
        for (int round = 0; round < 20; round++) {
            WholeKeys keys = new WholeKeys();
            // Other sizes, so that tables take each other's memory and grow out of it.
            long[] batch = random.longs(3000 << round % 4, -50_000, 50_000).toArray();
            if (round % 3 == 0) {
                keys.expect(batch.length);
            }
            Map<Long, Integer> expected = new HashMap<>();
            int[] numbers = new int[batch.length];
            keys.number(batch, batch.length, numbers, 0);
            for (int i = 0; i < batch.length; i++) {
                assertEquals(expected.computeIfAbsent(batch[i], k -> expected.size()), numbers[i]);
            }
            long[] all = LongStream.range(-50_100, 50_100).toArray();
            int[] found = new int[all.length];
            keys.find(all, all.length, found);
            for (int i = 0; i < all.length; i++) {
                assertEquals(expected.getOrDefault(all[i], -1), found[i]);
            }
            keys.release();
        }
        int[] numbers = new int[1 << 16];
        Arrays.fill(numbers, 7);
        KeptPlaces.give(new KeptPlaces(new long[1 << 16], numbers));
        KeptPlaces taken = KeptPlaces.take(1 << 16);
        assertSame(numbers, taken.numbers());
        assertEquals(0, Arrays.stream(numbers).max().orElseThrow());
        assertNotSame(numbers, KeptPlaces.take(1 << 16).numbers());
    }

    /** Sizes in which keys have many places each, and few; readers that find all keys, some and none, in turn. */
    @ParameterizedTest
    @ValueSource(ints = {1, 100, 20_000, 300_000})
    void keysThatAreOftenNotThereAreToldFromThoseThatAre(int n) {
        long[] known = IntStream.range(0, n).mapToLong(i -> Hashing.mix(2L * i)).toArray();
        WholeKeys keys = new WholeKeys();
        keys.number(known, n, new int[n], 0);
        WholeLookUp reader = keys.reader();
        Random random = new Random(n);
        for (int round = 0; round < 40; round++) {
            int share = List.of(0, 1, 50, 100).get(random.nextInt(4));
            checkFind(reader, random.ints(1 + random.nextInt(4096), 0, n), share, random);
        }
    }

    private static void checkFind(WholeLookUp reader, IntStream of, int percentMissing, Random random) {
        int[] rows =
                of.map(i -> random.nextInt(100) < percentMissing ? -1 - i : i).toArray();
        long[] wanted = Arrays.stream(rows)
                .mapToLong(i -> Hashing.mix(i < 0 ? -2L * i - 1 : 2L * i))
                .toArray();
        int[] found = new int[rows.length];
        reader.find(wanted, rows.length, found);
        for (int i = 0; i < rows.length; i++) {
            assertEquals(rows[i] < 0 ? -1 : rows[i], found[i]);
        }
    }

    @Test
    void aTableOfOneWholeNumberKnowsNullBesideThem() {
        Random random = new Random(7);
        for (DataType type : List.of(DataType.INT, DataType.LONG)) {
            KeyTable table = KeyTables.of(List.of(type));
            Map<Object, Integer> expected = new HashMap<>();
            int[] numbers = new int[700];
            for (int round = 0; round < 20; round++) {
                long[] nulls = round % 3 == 0 ? null : Bits.make(700);
                for (int i = 0; nulls != null && i < 700; i++) {
                    if (random.nextInt(3) == 0) {
                        Bits.set(nulls, i);
                    }
                }
                int[] values = random.ints(700, -40, 40 + 30 * round).toArray();
                Column column = type == DataType.INT
                        ? new IntColumn(values, nulls)
                        : new LongColumn(Arrays.stream(values).asLongStream().toArray(), nulls);
                table.number(new Column[] {column}, 700, numbers);
                for (int i = 0; i < 700; i++) {
                    Object key = column.isNull(i) ? "null" : (Object) values[i];
                    assertEquals(expected.computeIfAbsent(key, k -> expected.size()), numbers[i]);
                }
            }
            Column[] keys = table.takeKeys();
            assertEquals(0, table.size());
            assertTrue(keys[0].isNull(expected.get("null")));
            table.reader().find(new Column[] {new IntColumn(new int[] {1}, null)}, 1, numbers);
            assertEquals(-1, numbers[0]);
        }
    }
}
