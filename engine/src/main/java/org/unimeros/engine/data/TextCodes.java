package org.unimeros.engine.data;

/**
 * Few texts that come again and again, by number. Texts that are the same object as before are found without a look at their characters,
 * which is what objects read from a dictionary are.
 */
final class TextCodes {

    private static final int SLOTS = 256;
    private static final int MOST = 64;

    private final String[] texts = new String[SLOTS];
    private final int[] numbers = new int[SLOTS];
    private int size;

    /** How many different texts there are. */
    int size() {
        return size;
    }

    /** The number of a text, which is {@link #size} as it was before when it is new; -1 when there are too many. */
    int number(String text) {
        int hash = text.hashCode();
        int slot = (hash ^ hash >>> 16) & SLOTS - 1;
        for (String known = texts[slot]; known != null; known = texts[slot]) {
            if (known == text || known.equals(text)) {
                return numbers[slot];
            }
            slot = slot + 1 & SLOTS - 1;
        }
        if (size == MOST) {
            return -1;
        }
        texts[slot] = text;
        numbers[slot] = size;
        return size++;
    }
}
