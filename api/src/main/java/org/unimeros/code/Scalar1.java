package org.unimeros.code;

/** A function of one value for expressions; see {@link org.unimeros.Engine#define}. */
@FunctionalInterface
public interface Scalar1<A, R> extends TaskCode {
    /** The result can be null. An argument is null where it is null in the row, unless it was defined as a primitive. */
    R apply(A first) throws Exception;
}
