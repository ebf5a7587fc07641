package org.unimeros.engine.own;

import java.io.Serializable;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;

/** Code of a job that summarises the rows of groups, in parts that are merged. */
public interface AggregateCode extends Serializable {

    /** The type of the column in which states travel; null in it is the state of a group without a value. */
    DataType stateType();

    /**
     * The code for one attempt of a task, which nothing else uses.
     *
     * @param argument the type of the values
     */
    Running open(TaskScope scope, DataType argument);

    /** Used by one thread. */
    interface Running extends AutoCloseable {
        /** States for the groups of another table. */
        States states();

        /** Called in any case, also when something failed. */
        @Override
        void close();
    }

    /** The states of the groups of a table, by their numbers. Rows whose value is null are left out. */
    interface States {
        /** Makes room for groups up to a number; new ones have no value. */
        void reserve(int groups);

        /** Adds the value of each row to its group; the column may be overwritten after the call. */
        void add(int[] groups, int rows, Column values);

        void merge(int[] groups, int rows, Column states);

        Column partial(int groups);

        /** The results; null for a group without a value. */
        Column result(int groups);

        /** About how many bytes the states hold. */
        long sizeInBytes();

        /** Forgets all groups. */
        void clear();
    }
}
