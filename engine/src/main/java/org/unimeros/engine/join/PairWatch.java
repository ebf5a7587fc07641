package org.unimeros.engine.join;

import java.util.function.Supplier;

/** Is told of the pairs that a join is about to make. */
@FunctionalInterface
public interface PairWatch {

    /**
     * Some rows find more than one row each.
     *
     * @param pairs the pairs beyond the first of each row
     * @param key how the key with most pairs among them reads
     * @param keyPairs the rows that it finds
     */
    void add(long pairs, Supplier<String> key, long keyPairs);
}
