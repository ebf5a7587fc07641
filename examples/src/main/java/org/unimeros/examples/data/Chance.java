package org.unimeros.examples.data;

/**
 * Chance that depends on nothing but a seed and the thing that it is asked for, so that any part of the data can be made
 * without making the rest. The mixing function is the finaliser of SplitMix64 (G. L. Steele, D. Lea, C. H. Flood, 2014).
 */
record Chance(long seed) {

    private static long mix(long x) {
        long z = x + 0x9E3779B97F4A7C15L;
        z = (z ^ z >>> 30) * 0xBF58476D1CE4E5B9L;
        z = (z ^ z >>> 27) * 0x94D049BB133111EBL;
        return z ^ z >>> 31;
    }

    private long bits(String what, long id) {
        return mix(mix(seed ^ what.hashCode() * 0x9E3779B97F4A7C15L) ^ id);
    }

    /** A whole number from 0 to {@code below}, without {@code below}. */
    int number(String what, long id, int below) {
        return (int) Math.unsignedMultiplyHigh(bits(what, id), below);
    }

    /** True in so many of a thousand cases. */
    boolean happens(String what, long id, int perThousand) {
        return number(what, id, 1000) < perThousand;
    }

    /** Small numbers more often than large ones. */
    int skewed(String what, long id, int below) {
        double u = (bits(what, id) >>> 11) * 0x1.0p-53;
        return (int) (below * u * u);
    }

    <T> T one(String what, long id, T[] of) {
        return of[number(what, id, of.length)];
    }
}
