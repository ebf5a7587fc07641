package org.unimeros.engine.key;

/** Numbers of whole-number keys, which can be added. One thread, but for {@link #find} through {@linkplain #reader readers}. */
interface WholeNumbering extends WholeLookUp {

    /**
     * Writes the number of each key; new keys get the numbers from {@code next} on, in the order in which they come.
     *
     * @return how many keys are new
     */
    int number(long[] wanted, int rows, int[] out, int next);

    /** Makes room for so many keys more, which else is done step by step. */
    void expect(int more);

    /** Forgets all keys, and the memory for many. */
    void clear();
}
