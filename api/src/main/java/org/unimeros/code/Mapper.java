package org.unimeros.code;

/** Makes any number of keys and values of each record. */
@FunctionalInterface
public interface Mapper<T, K, V> extends TaskCode {
    void map(T record, Pairs<K, V> out) throws Exception;

    /** Called when the task has no more records; can still add some. */
    default void finish(Pairs<K, V> out) throws Exception {
        // most have given everything
    }
}
