package org.unimeros.code;

/**
 * A function that makes any number of rows of a value, for {@code from}; see {@link org.unimeros.Engine#defineRows}.
 *
 * @param <A> the argument; a record with several components makes a function of as many arguments
 * @param <R> a row; a record has a column per component
 */
@FunctionalInterface
public interface ToRows<A, R> extends TaskCode {
    /** @param argument not null */
    void apply(A argument, Out<R> rows) throws Exception;
}
