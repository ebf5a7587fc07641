package org.unimeros.storage.format.parquet;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.util.Arrays;
import java.util.Random;
import org.junit.jupiter.api.Test;

/** What {@link PageBuilder} puts into a page is what the readers take out. */
class PageEncodingTest {

    private static PageBytes read(PageBuilder page) {
        return new PageBytes(Arrays.copyOf(page.bytes(), page.size() + PageBytes.SLACK), 0, page.size());
    }

    @Test
    void runsAndPackedGroupsOfEveryWidth() {
        Random random = new Random(1);
        for (int round = 0; round < 500; round++) {
            int width = round % 33;
            int[] values = new int[1 + random.nextInt(2000)];
            for (int i = 0; i < values.length; i++) {
                boolean repeats = i > 0 && random.nextInt(10) < round % 10;
                int value = width == 0 ? 0 : random.nextInt() >>> 32 - width;
                values[i] = repeats ? values[i - 1] : value;
            }
            PageBuilder page = new PageBuilder();
            page.putRuns(values, values.length, width);
            RunReader reader = new RunReader(read(page), width);
            int[] out = new int[values.length];
            int at = 0;
            while (at < out.length) {
                int n = Math.min(out.length - at, 1 + random.nextInt(300));
                int equal = random.nextBoolean() ? reader.skipEqual(values[at], n) : 0;
                Arrays.fill(out, at, at + equal, values[at]);
                reader.read(out, at + equal, n - equal);
                at += n;
            }
            assertArrayEquals(values, out, "round " + round);
        }
    }

    @Test
    void differencesOfAnyNumbers() {
        Random random = new Random(2);
        for (int round = 0; round < 500; round++) {
            long[] values = new long[1 + random.nextInt(1000)];
            long step = 1L << random.nextInt(63);
            for (int i = 0; i < values.length; i++) {
                values[i] = round % 3 == 0
                        ? random.nextLong()
                        : (i == 0 ? random.nextLong() : values[i - 1]) + random.nextLong(-step, step);
            }
            PageBuilder page = new PageBuilder();
            page.putDeltas(values, values.length);
            DeltaReader reader = new DeltaReader(read(page));
            assertEquals(values.length, reader.count());
            for (long value : values) {
                assertEquals(value, reader.next(), "round " + round);
            }
            assertThrows(IllegalStateException.class, reader::next);
        }
    }

    @Test
    void packedNumbersAndVarints() {
        Random random = new Random(3);
        for (int width = 1; width <= 64; width++) {
            long[] values = new long[97];
            for (int i = 0; i < values.length; i++) {
                values[i] = random.nextLong() >>> 64 - width;
            }
            PageBuilder page = new PageBuilder();
            page.putByte(7);
            page.putPacked(values, 0, values.length, width);
            PageBytes bytes = read(page);
            for (int i = 0; i < values.length; i++) {
                assertEquals(values[i], bytes.bits(1, (long) i * width, width), "width " + width);
            }
            page.clear();
            page.putVarint(values[0]);
            page.putZigzag(-values[1]);
            page.putInt((int) values[2]);
            page.putLong(values[3]);
            PageBytes numbers = read(page);
            assertEquals(values[0], numbers.nextVarint());
            assertEquals(-values[1], numbers.nextZigzag());
            assertEquals((int) values[2], numbers.nextInt());
            assertEquals(8, numbers.left());
            assertThrows(IllegalStateException.class, () -> numbers.skip(9));
        }
    }

    @Test
    void aPageThatEndsTooEarlyIsRefused() {
        int[] values = new Random(4).ints(1000, 0, 1 << 20).toArray();
        PageBuilder page = new PageBuilder();
        page.putRuns(values, values.length, 20);
        for (int cut = 1; cut < page.size(); cut += 17) {
            PageBytes shorter = new PageBytes(page.bytes(), 0, page.size() - cut);
            RunReader reader = new RunReader(shorter, 20);
            assertThrows(IllegalStateException.class, () -> reader.read(new int[1000], 0, 1000));
        }
        assertThrows(IllegalStateException.class, () -> new RunReader(read(page), 33));
    }
}
