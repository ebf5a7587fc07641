package org.unimeros.engine.own;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;

/** Code of a job that computes a column of others. */
public interface ValueCode extends Serializable {

    /**
     * The code for one attempt of a task, which nothing else uses.
     *
     * @param types of the arguments
     */
    Running open(TaskScope scope, List<DataType> types);

    /** Used by one thread. */
    interface Running extends AutoCloseable {
        /**
         * The values for the rows of a batch.
         *
         * @param args one column per argument, each with at least {@code rows} rows
         * @param nulls rows that have no value and are not computed; null for none
         * @throws RowFailure when there is none for a row
         */
        Column apply(Column[] args, int rows, long[] nulls);

        /** Called in any case, also when something failed. */
        @Override
        void close();
    }

    /** A row for which the code has no value. */
    @SuppressWarnings("serial")
    final class RowFailure extends RuntimeException {
        private final transient int row;

        public RowFailure(int row, String message) {
            super(message, null, false, false);
            this.row = row;
        }

        public int row() {
            return row;
        }
    }
}
