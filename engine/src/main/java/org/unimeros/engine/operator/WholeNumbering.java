package org.unimeros.engine.operator;

/** Numbers of whole-number keys. One thread, but for {@link #find} through {@linkplain #reader readers}. */
interface WholeNumbering {

    /** The same keys for another thread, to look up only. */
    WholeNumbering reader();

    /**
     * Writes the number of each key; new keys get the numbers from {@code next} on, in the order in which they come.
     *
     * @return how many keys are new
     */
    int number(long[] wanted, int rows, int[] out, int next);

    /** Writes the number of each key, or -1. */
    void find(long[] wanted, int rows, int[] out);

    /** Makes room for so many keys more, which else is done step by step. */
    void expect(int more);

    /** The same keys to be looked up only, where that is faster with other numbers; else null. This numbering may not be used any more then. */
    Settled settle();

    /**
     * Keys that have got other numbers.
     *
     * @param keys to look them up
     * @param before the number that each key had, by its new one
     */
    record Settled(WholeNumbering keys, int[] before) {}

    /** Forgets all keys, and the memory for many. */
    void clear();

    /** Gives up the memory for the keys, which the next table may take: nobody may ask any more, {@linkplain #reader readers} included. */
    void release();

    long sizeInBytes();
}
