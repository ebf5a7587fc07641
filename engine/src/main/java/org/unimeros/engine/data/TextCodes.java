package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Arrays;

/**
 * A dictionary that grows while texts come that have come before. Texts that are the same object as before are found without a look at
 * their characters, which is what objects read from a dictionary are; texts that stand in an array of characters need no object.
 */
final class TextCodes {

    /** With more of them, looking them up costs as much as it saves. */
    private static final int MOST = 64;

    private static final int SLOTS = 2 * MOST;

    /** The hash of a text above its number plus one; 0 for none. What a text is compared with stands close together. */
    private final long[] slots = new long[SLOTS];

    private final int[] offsets = new int[MOST + 1];
    private byte[] bytes = new byte[256];
    /** The texts as objects, where one was given or asked for. */
    private final String[] texts = new String[MOST];

    /** Up to eight bytes at the end of each text. */
    private final long[] lastBytes = new long[MOST];

    private int size;

    /** How many different texts there are. */
    int size() {
        return size;
    }

    /** The number of a text; -1 when there are too many. */
    int number(String text) {
        int hash = text.hashCode();
        int slot = first(hash);
        for (long entry = slots[slot]; entry != 0; entry = slots[slot]) {
            if ((int) (entry >>> 32) == hash && isSame((int) entry - 1, text)) {
                return (int) entry - 1;
            }
            slot = slot + 1 & SLOTS - 1;
        }
        if (size == MOST) {
            return -1;
        }
        byte[] utf8 = text.getBytes(UTF_8);
        int at = reserve(utf8.length);
        System.arraycopy(utf8, 0, bytes, at, utf8.length);
        texts[size] = text;
        lastBytes[size] = 0;
        for (byte b : utf8) {
            lastBytes[size] = lastBytes[size] << 8 | b & 0xFF;
        }
        return add(hash, slot, at + utf8.length);
    }

    /** The number of a text that stands in an array; -1 when there are too many. */
    int number(char[] chars, int start, int length) {
        int hash = 0;
        int all = 0;
        long last = 0;
        for (int i = start; i < start + length; i++) {
            hash = 31 * hash + chars[i];
            all |= chars[i];
            last = last << 8 | chars[i];
        }
        if (all >= 0x80) {
            return number(new String(chars, start, length));
        }
        int slot = first(hash);
        for (long entry = slots[slot]; entry != 0; entry = slots[slot]) {
            if ((int) (entry >>> 32) == hash && isSame((int) entry - 1, chars, start, length, last)) {
                return (int) entry - 1;
            }
            slot = slot + 1 & SLOTS - 1;
        }
        if (size == MOST) {
            return -1;
        }
        int at = reserve(length);
        for (int i = 0; i < length; i++) {
            bytes[at + i] = (byte) chars[start + i];
        }
        texts[size] = null;
        lastBytes[size] = last;
        return add(hash, slot, at + length);
    }

    private static int first(int hash) {
        return (hash ^ hash >>> 16) & SLOTS - 1;
    }

    private boolean isSame(int number, String text) {
        String known = texts[number];
        if (known == null) {
            known = new String(bytes, offsets[number], offsets[number + 1] - offsets[number], UTF_8);
            texts[number] = known;
        }
        return known == text || known.equals(text);
    }

    /** Plain characters are their own bytes, and no other ones are equal to a byte. */
    private boolean isSame(int number, char[] chars, int start, int length, long last) {
        int from = offsets[number];
        if (offsets[number + 1] - from != length || lastBytes[number] != last) {
            return false;
        }
        for (int i = 0; i < length - Long.BYTES; i++) {
            if (bytes[from + i] != chars[start + i]) {
                return false;
            }
        }
        return true;
    }

    /** Makes room for one text more, and returns where it begins. */
    private int reserve(int length) {
        int at = offsets[size];
        int end = Math.addExact(at, length);
        if (end > bytes.length) {
            bytes = Arrays.copyOf(bytes, Math.max(end, ColumnBuilder.larger(bytes.length)));
        }
        return at;
    }

    private int add(int hash, int slot, int end) {
        slots[slot] = (long) hash << 32 | size + 1;
        offsets[++size] = end;
        return size - 1;
    }

    /** The texts by number, which must not be changed before this is {@linkplain #clear cleared}. */
    TextColumn view() {
        return new TextColumn(bytes, offsets, null);
    }

    /** The texts by number. */
    TextColumn dictionary() {
        return new TextColumn(Arrays.copyOf(bytes, offsets[size]), Arrays.copyOf(offsets, size + 1), null);
    }

    int sizeInBytes() {
        return offsets[size];
    }

    /** Forgets all texts. */
    void clear() {
        Arrays.fill(slots, 0);
        Arrays.fill(texts, 0, size, null);
        size = 0;
    }
}
