package org.unimeros.code;

import org.unimeros.engine.data.Column;

/** A function for expressions that computes the rows of a batch at once; see {@link org.unimeros.Engine#defineVectorised}. */
@FunctionalInterface
public interface Vectorised extends TaskCode {
    /**
     * The values of all rows.
     *
     * @param args a column per argument, in the forms that {@link Column} describes; they can be longer than the batch, and must not be
     *     changed
     * @param rows how many rows are wanted
     * @param nulls a bit for each row in which an argument is null, where the result is to be null as well; null when there is none
     */
    Column apply(Column[] args, int rows, long[] nulls) throws Exception;
}
