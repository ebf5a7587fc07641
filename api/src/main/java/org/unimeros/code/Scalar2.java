package org.unimeros.code;

/** A function of two values for expressions; see {@link org.unimeros.Engine#define}. */
@FunctionalInterface
public interface Scalar2<A, B, R> extends TaskCode {
    /** The result can be null. An argument is null where it is null in the row, unless it was defined as a primitive. */
    R apply(A first, B second) throws Exception;
}
