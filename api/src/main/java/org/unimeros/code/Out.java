package org.unimeros.code;

/** Takes what a function makes. */
@FunctionalInterface
public interface Out<R> {
    /** @param record not null */
    void add(R record);
}
