package org.unimeros.code;

/**
 * Makes fewer values of those that one task has for a key, before they are moved. It is called any number of times for a key, with some
 * of its values or with what it made of them, so that the result must not depend on that.
 */
@FunctionalInterface
public interface Combiner<K, V> extends TaskCode {
    /** @param values can be gone through once */
    void combine(K key, Iterable<V> values, Out<V> out) throws Exception;

    /** About how many pairs it is given at a time, memory permitting; more where that costs much to begin. */
    default int pairsAtOnce() {
        return 1 << 14;
    }

    /**
     * Called when a task has no more keys for now; can still add pairs, of any keys, unless a partitioner says where keys belong.
     */
    default void finishRun(Pairs<K, V> out) throws Exception {
        // most have given everything
    }
}
