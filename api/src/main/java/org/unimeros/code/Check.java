package org.unimeros.code;

/** Says whether a record is kept. */
@FunctionalInterface
public interface Check<T> extends TaskCode {
    boolean keeps(T record) throws Exception;
}
