package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.function.LongUnaryOperator;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.Bits;

class SettledKeysBuilderTest {

    private static final int KEYS = 700_000;

    /** With and without helpers: keys with one row each, and up to six; rows without a key. */
    @ParameterizedTest
    @CsvSource({"1, false, 0", "1, true, 1", "3, false, 1", "3, true, 0", "3, true, 3"})
    void rowsStandInTheOrderOfTheirKeysAndOfTheirComing(int rowsPerKey, boolean withNulls, int helpers)
            throws InterruptedException, ExecutionException {
        Random random = new Random(rowsPerKey + 10L * helpers);
        int rows = KEYS * rowsPerKey;
        long[] wanted = new long[rows];
        long[] nulls = withNulls ? Bits.make(rows) : null;
        for (int row = 0; row < rows; row++) {
            // A bijection of the numbers of keys, 0 to 9 included, which are what an empty place might be thought to
            // have.
            long number = rowsPerKey == 1 ? row : random.nextInt(KEYS);
            wanted[row] = number < 10 ? number : Hashing.mix(number);
            if (withNulls && random.nextInt(20) == 0) {
                Bits.set(nulls, row);
            }
        }
        SettledKeysBuilder.Settled settled = settled(wanted, nulls, helpers);

        check(settled, wanted, nulls);
        assertEquals(rowsPerKey == 1, settled.starts() == null);
    }

    private static SettledKeysBuilder.Settled settled(long[] wanted, long[] nulls, int helpers)
            throws InterruptedException, ExecutionException {
        JointWork work = new JointWork();
        try (ExecutorService threads = Executors.newCachedThreadPool()) {
            var helping = IntStream.range(0, helpers)
                    .<Future<?>>mapToObj(h -> threads.submit(work::help))
                    .toList();
            SettledKeysBuilder.Settled settled = SettledKeysBuilder.of(wanted, nulls, wanted.length, work);
            work.end();
            for (Future<?> helper : helping) {
                helper.get();
            }
            assertNotNull(settled);
            return settled;
        }
    }

    private static void check(SettledKeysBuilder.Settled settled, long[] wanted, long[] nulls) {
        Map<Long, Integer> numbers = new HashMap<>();
        int[] order = settled.order();
        int last = -1;
        for (int number = 0; number < settled.count(); number++) {
            int from = settled.starts() == null ? number : settled.starts()[number];
            int end = settled.starts() == null ? number + 1 : settled.starts()[number + 1];
            assertTrue(from < end);
            long key = wanted[order[from]];
            assertNull(numbers.put(key, number));
            for (int i = from; i < end; i++) {
                assertEquals(key, wanted[order[i]]);
                assertTrue(i == from || order[i - 1] < order[i]);
            }
            last = end;
        }
        assertEquals(order.length, last);
        assertEquals(
                IntStream.range(0, wanted.length)
                        .filter(i -> nulls == null || !Bits.get(nulls, i))
                        .count(),
                order.length);
        for (WholeLookUp reader :
                new WholeLookUp[] {settled.keys(), settled.keys().reader()}) {
            find(reader, wanted, key -> numbers.getOrDefault(key, -1));
            // The first numbers, one of which is what empty places have, and others that are not there.
            find(reader, LongStream.range(-2500, 2500).toArray(), key -> numbers.getOrDefault(key, -1));
        }
    }

    private static void find(WholeLookUp reader, long[] asked, LongUnaryOperator numbers) {
        int[] found = new int[asked.length];
        reader.find(asked, asked.length, found);
        assertArrayEquals(
                Arrays.stream(asked).map(numbers).mapToInt(n -> (int) n).toArray(), found);
    }

    /** Thousands of keys that belong to the last places of a share go on behind it, behind the last one at the first place. */
    @ParameterizedTest
    @ValueSource(ints = {17, 63})
    void keysGoOnBehindAShareThatIsFull(int share) throws InterruptedException, ExecutionException {
        int places = 1 << 21;
        int end = share + 1 << 15;
        Set<Long> keys = new HashSet<>();
        for (long key = 0; keys.size() < 3000; key++) {
            int place = (int) Hashing.ofOne(key) & places - 1;
            if (place >= end - 200 && place < end) {
                keys.add(key);
            }
        }
        for (long key = -1; keys.size() < 600_000; key--) {
            keys.add(key);
        }
        // Twice, so that one key has rows that are beyond its share and others that come later.
        long[] wanted = LongStream.concat(
                        keys.stream().mapToLong(k -> k),
                        keys.stream().limit(4000).mapToLong(k -> k))
                .toArray();
        check(settled(wanted, null, 1), wanted, null);
        check(settled(Arrays.copyOf(wanted, keys.size()), null, 1), Arrays.copyOf(wanted, keys.size()), null);
    }

    @Test
    void fewKeysAreNotSettledHoweverManyRowsHaveThem() {
        long[] wanted = new Random(3).longs(1_500_000, 0, 400_000).toArray();
        assertNull(SettledKeysBuilder.of(wanted, null, wanted.length, new JointWork()));
    }

    /** Keys that were chosen so that the sample tells of a fifth of them: they do not fit, and nobody looks for a place for ever. */
    @Test
    @Timeout(60)
    void farMoreKeysThanTheSampleTellsOfAreNotSettled() {
        int sampled = 0;
        long[] wanted = new long[3_000_000];
        int n = 0;
        for (long key = 0; n < wanted.length; key++) {
            boolean isSampled = Hashing.ofOne(key) >>> 58 == 0;
            if (!isSampled || sampled < 9000) {
                sampled += isSampled ? 1 : 0;
                wanted[n++] = key;
            }
        }
        assertNull(SettledKeysBuilder.of(wanted, null, n, new JointWork()));
    }
}
