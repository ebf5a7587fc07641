package org.unimeros.code;

/** Takes the keys and values that a mapper makes. */
@FunctionalInterface
public interface Pairs<K, V> {
    /** Neither is null. */
    void add(K key, V value);
}
