package org.unimeros.code;

/** Makes records of all values of a key. */
@FunctionalInterface
public interface Reducer<K, V, R> extends TaskCode {
    /** @param values in order, read while they are gone through, once; they can be far more than fit into memory */
    void reduce(K key, Iterable<V> values, Out<R> out) throws Exception;

    /** Called when the reducer has had its last key; can still add records. */
    default void finish(Out<R> out) throws Exception {
        // most have given everything
    }
}
