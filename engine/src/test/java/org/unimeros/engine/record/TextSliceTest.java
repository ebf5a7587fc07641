package org.unimeros.engine.record;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.Arrays;
import java.util.Random;
import org.junit.jupiter.api.Test;

/** Text as bytes, beside the same as strings. */
class TextSliceTest {

    private static final String LETTERS = "ab c d\u0000~";

    private static String random(Random random, int most) {
        StringBuilder text = new StringBuilder();
        for (int i = random.nextInt(most + 1); i > 0; i--) {
            text.append(LETTERS.charAt(random.nextInt(LETTERS.length())));
        }
        return text.toString();
    }

    /** The text somewhere in a larger array, at its end in every third case. */
    private static TextSlice somewhere(String text, Random random) {
        String before = random(random, 9);
        String behind = random.nextInt(3) == 0 ? "" : random(random, 9);
        byte[] bytes = (before + text + behind).getBytes(UTF_8);
        return TextSlice.of(bytes, before.length(), text.length());
    }

    @Test
    void piecesBehaveAsStringsDo() {
        Random random = new Random(11);
        for (int i = 0; i < 50_000; i++) {
            String text = random(random, 20);
            String other = random.nextInt(3) == 0 ? text : random(random, 20);
            TextSlice slice = somewhere(text, random);
            TextSlice otherSlice = somewhere(other, random);
            assertEquals(text.equals(other), slice.equals(otherSlice));
            assertTrue(!text.equals(other) || slice.hashCode() == otherSlice.hashCode());
            assertEquals(Integer.signum(text.compareTo(other)), Integer.signum(slice.compareTo(otherSlice)));
            int from = random.nextInt(22);
            assertEquals(text.indexOf('c', from), slice.indexOf('c', from), text);
            assertEquals(text.indexOf('\u0000', from), slice.indexOf('\u0000', from), text);
            assertEquals(text, slice.toString());
            int start = random.nextInt(text.length() + 1);
            assertEquals(
                    text.substring(start), slice.slice(start, text.length()).toString());
        }
    }

    @Test
    void aPieceIsComparedWithPaddedBytes() {
        Random random = new Random(12);
        byte[] padded = new byte[32];
        for (int i = 0; i < 10_000; i++) {
            String text = random(random, 20);
            String other = random.nextInt(2) == 0 ? text : random(random, 20);
            Arrays.fill(padded, (byte) 0);
            TextSlice.of(other).copyTo(padded, 8);
            if (text.length() == other.length()) {
                assertEquals(text.equals(other), somewhere(text, random).isAt(padded, 8));
            }
        }
    }

    @Test
    void nothingOutsideAPieceCanBeRead() {
        TextSlice slice = TextSlice.of("parcel".getBytes(UTF_8), 1, 3);
        assertThrows(IndexOutOfBoundsException.class, () -> slice.byteAt(3));
        assertThrows(IndexOutOfBoundsException.class, () -> slice.slice(1, 4));
        assertThrows(IndexOutOfBoundsException.class, () -> TextSlice.of(new byte[4], 2, 3));
    }
}
