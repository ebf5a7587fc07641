package org.unimeros.code;

/** Says which reducer a key comes to. */
@FunctionalInterface
public interface Partitioner<K, V> extends TaskCode {
    /** A number from 0 to {@code reducers} - 1; the same for equal keys, else a key has several reducers. */
    int reducer(K key, V value, int reducers) throws Exception;
}
