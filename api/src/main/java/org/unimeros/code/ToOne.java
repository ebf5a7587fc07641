package org.unimeros.code;

/** Makes one record of each. */
@FunctionalInterface
public interface ToOne<T, R> extends TaskCode {
    /** Never null. */
    R apply(T record) throws Exception;
}
