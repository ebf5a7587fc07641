package org.unimeros.engine.own;

import java.io.Serializable;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;

/** Code that makes rows of rows that are sorted, or at least together by their keys, which it reads at its own pace, so that groups can be larger than memory. */
public interface GroupCode extends Serializable {

    /** A few words for the plan. */
    String describe();

    /** The code for one attempt of a task, which nothing else uses. */
    Running open(TaskScope scope);

    /** Used by one thread. */
    interface Running extends AutoCloseable {
        /** Reads all groups. Called more than once where groups are combined as they come. */
        void accept(Groups groups, Consumer<Batch> out);

        /** About how many rows it likes to be given at a time where groups are combined as they come. */
        int rowsAtOnce();

        /** No more rows come. */
        void finish(Consumer<Batch> out);

        /** Called in any case, also when something failed. */
        @Override
        void close();
    }
}
