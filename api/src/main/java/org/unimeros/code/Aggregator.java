package org.unimeros.code;

/**
 * An aggregate for expressions: {@code group by} and windows call it like {@code sum}; see {@link org.unimeros.Engine#defineAggregate}.
 * Values of a group are added to states in different tasks, and the states are merged, in any way: the result must not depend on it.
 * Values that are null are left out, and a group without a value has the result null.
 *
 * @param <A> the values; a record with several components makes an aggregate of as many arguments
 * @param <S> the state, a record or a value type, as which it travels and is spilled
 * @param <R> the result
 */
public interface Aggregator<A, S, R> extends TaskCode {

    /** A state without a value, never null. */
    S start();

    /** The state with one more value; may be the same object, changed. */
    S add(S state, A value) throws Exception;

    /** Both states as one; may be one of them, changed. */
    S merge(S one, S other) throws Exception;

    /** The result; can be null. */
    R result(S state) throws Exception;
}
