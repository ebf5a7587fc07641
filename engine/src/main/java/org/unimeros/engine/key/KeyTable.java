package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;

/**
 * Numbers distinct keys 0, 1, 2 … in the order in which they first come; where the key is one text, the short ones of a batch before the long
 * ones. Null equals null. {@link KeyTables} makes them. One thread while keys are added; {@link #find} is for others through readers.
 */
public interface KeyTable extends KeyLookUp {

    /** How many keys have numbers. */
    int size();

    /** Writes the number of each row's key, adding keys that are new. */
    void number(Column[] columns, int rows, int[] out);

    /** The rows of the batch that was numbered last by their numbers, where that is known without sorting; else null. */
    RowsByGroup rowsByKey();

    /** Makes room for so many keys more, which is done step by step where nobody knows how many there will be. */
    void expect(int more);

    /**
     * The keys by number, column by column; the table starts anew.
     *
     * @throws UnsupportedOperationException from a table that was made to be {@linkplain KeyTables#forLookUp looked up in}
     */
    Column[] takeKeys();
}
