package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Arrays;

/**
 * A dictionary that grows while texts come that have come before. Texts that are the same object as before are found without a look at
 * their characters, which is what objects read from a dictionary are. {@link TextKeeper} is the one for texts that stand in bytes.
 */
final class TextCodes {

    /** With more of them, looking them up costs as much as it saves. */
    static final int MOST = 64;

    /** After a batch with too many different texts, so many others are not tried. */
    static final int PATIENCE = 32;

    private static final int SLOTS = 2 * MOST;

    /** The hash of a text above its number plus one; 0 for none. What a text is compared with stands close together. */
    private final long[] slots = new long[SLOTS];

    private final int[] offsets = new int[MOST + 1];
    private byte[] bytes = new byte[256];
    private final String[] texts = new String[MOST];

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
            if ((int) (entry >>> 32) == hash && texts[(int) entry - 1].equals(text)) {
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
        return add(hash, slot, at + utf8.length);
    }

    private static int first(int hash) {
        return (hash ^ hash >>> 16) & SLOTS - 1;
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
