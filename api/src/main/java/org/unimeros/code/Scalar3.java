package org.unimeros.code;

/** A function of three values for expressions; see {@link org.unimeros.Engine#define}. */
@FunctionalInterface
public interface Scalar3<A, B, C, R> extends TaskCode {
    /** The result can be null. An argument is null where it is null in the row, unless it was defined as a primitive. */
    R apply(A first, B second, C third) throws Exception;
}
