package org.unimeros.engine.key;

/**
 * A bit set that tells how many bits are set before a place: one word of bits and one number are read for it, which are a
 * fifth of the memory that a number for each place would take. Not changed once it is made.
 *
 * @param bits the places, 64 a word
 * @param before how many bits are set before each word
 */
record CountedBits(long[] bits, int[] before) {

    static CountedBits of(long[] bits) {
        int[] before = new int[bits.length];
        int count = 0;
        for (int i = 0; i < bits.length; i++) {
            before[i] = count;
            count += Long.bitCount(bits[i]);
        }
        return new CountedBits(bits, before);
    }

    /** Writes for each place how many bits are set before it, or -1 where its own is not set. */
    void countBefore(int[] places, int n, int[] out, int from) {
        for (int i = 0; i < n; i++) {
            int place = places[i];
            long word = bits[place / Long.SIZE];
            int isSet = (int) (word >>> place) & 1;
            int count = before[place / Long.SIZE] + Long.bitCount(word & (1L << place) - 1);
            out[from + i] = (count & -isSet) + isSet - 1;
        }
    }

    /** How many bits are set before a place. */
    int before(int place) {
        return before[place / Long.SIZE] + Long.bitCount(bits[place / Long.SIZE] & (1L << place) - 1);
    }

    long sizeInBytes() {
        return (Long.BYTES + Integer.BYTES) * (long) bits.length;
    }
}
