package org.unimeros.engine.spill;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Random;
import org.junit.jupiter.api.Test;

class PackLevelTest {

    private static final Random RANDOM = new Random(8);

    /** Lines that begin with bytes of any kind and end alike: codes for single bytes gain little. */
    private static byte[] labels() {
        byte[] end = "a parcel of a shipper, to be handled with care; kept at its depot until it is asked for\n"
                .getBytes(StandardCharsets.UTF_8);
        byte[] out = new byte[1000 * (10 + end.length)];
        for (int from = 0; from < out.length; from += 10 + end.length) {
            for (int i = 0; i < 10; i++) {
                out[from + i] = (byte) RANDOM.nextInt();
            }
            System.arraycopy(end, 0, out, from + 10, end.length);
        }
        return out;
    }

    /** Digits without repetition: only codes for single bytes make them smaller. */
    private static byte[] digits() {
        byte[] out = new byte[100_000];
        for (int i = 0; i < out.length; i++) {
            out[i] = (byte) ('0' + RANDOM.nextInt(10));
        }
        return out;
    }

    private static int size(byte[] plain, int level, Packer packer) {
        System.arraycopy(plain, 0, packer.plain(plain.length), 0, plain.length);
        return packer.pack(plain.length, 0, level);
    }

    private static int size(byte[] plain, PackLevel level, Packer packer) {
        System.arraycopy(plain, 0, packer.plain(plain.length), 0, plain.length);
        return level.pack(packer, plain.length, 0);
    }

    @Test
    void blocksThatQuickPackingMakesHardlyLargerArePackedQuicklyAndOthersAreNot() {
        try (Packer packer = Packer.take()) {
            byte[] labels = labels();
            int quick = size(labels, Packer.QUICK, packer);
            int thorough = size(labels, Packer.THOROUGH, packer);
            assertTrue(quick != thorough);
            PackLevel level = new PackLevel();
            assertEquals(thorough, size(labels, level, packer), "a file of one block");
            size(labels, level, packer);
            assertEquals(quick, size(labels, level, packer));
            PackLevel other = new PackLevel();
            byte[] digits = digits();
            for (int i = 0; i < 3; i++) {
                size(digits, other, packer);
            }
            assertEquals(size(digits, Packer.THOROUGH, packer), size(digits, other, packer));
        }
    }

    @Test
    void aFileWhoseBlocksChangeIsLookedAtAgainAndReadsBackWhateverTheLevel() {
        PackLevel level = new PackLevel();
        try (Packer packer = Packer.take();
                Unpacker unpacker = Unpacker.take()) {
            int[] sizes = new int[300];
            for (int i = 0; i < sizes.length; i++) {
                byte[] plain = i < 100 ? labels() : digits();
                sizes[i] = size(plain, level, packer);
                assertEquals(plain.length, unpacker.unpack(packer.packed(), 0, sizes[i], plain.length));
                assertArrayEquals(plain, Arrays.copyOf(unpacker.plain(), plain.length));
            }
            // Digits are half as large when bytes have codes, which is seen at last.
            assertTrue(sizes[299] < sizes[101] * 3 / 4, sizes[101] + " and then " + sizes[299]);
        }
    }
}
