package org.unimeros.code;

/** Makes any number of records of each. */
@FunctionalInterface
public interface ToMany<T, R> extends TaskCode {
    void apply(T record, Out<R> out) throws Exception;

    /** Called when the task has no more records; can still add some. */
    default void finish(Out<R> out) throws Exception {
        // most have given everything
    }
}
