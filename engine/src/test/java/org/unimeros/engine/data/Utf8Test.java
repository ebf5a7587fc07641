package org.unimeros.engine.data;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.Arrays;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class Utf8Test {

    /** Bytes that differ from the wanted one in a single bit, in their sign, or by one are what looking at eight together could take for it. */
    @Test
    void placesOfAByteAreThoseOneByOne() {
        for (int seed = 0; seed < 2000; seed++) {
            Random random = new Random(seed);
            byte wanted = (byte) random.nextInt();
            byte[] near = {
                wanted, (byte) (wanted ^ 0x80), (byte) (wanted ^ 1), (byte) (wanted + 1), (byte) (wanted - 1), 0
            };
            int often = 1 + random.nextInt(near.length);
            byte[] bytes = new byte[random.nextInt(90)];
            for (int i = 0; i < bytes.length; i++) {
                bytes[i] = near[random.nextInt(8) == 0 ? 0 : random.nextInt(often)];
            }
            int start = random.nextInt(bytes.length + 1);
            int end = start + random.nextInt(bytes.length - start + 1);
            int[] expected =
                    IntStream.range(start, end).filter(i -> bytes[i] == wanted).toArray();
            assertEquals(
                    expected.length == 0 ? -1 : expected[0], Utf8.indexOf(bytes, start, end, wanted), "seed " + seed);
            int part = Utf8.endOfPart(bytes, start, end, wanted);
            assertEquals(expected.length == 0 ? end : expected[0], part, "seed " + seed);

            int before = random.nextInt(3);
            int[] places = new int[before + random.nextInt(100)];
            Arrays.fill(places, -7);
            int n = Utf8.indexesOf(bytes, start, end, wanted, places, before);
            assertEquals(before + Math.min(expected.length, places.length - before), n, "seed " + seed);
            assertArrayEquals(
                    Arrays.copyOf(expected, n - before), Arrays.copyOfRange(places, before, n), "seed " + seed);
            assertEquals(
                    before,
                    IntStream.range(0, before).filter(i -> places[i] == -7).count());
        }
    }
}
