package org.unimeros.engine.own;

import java.io.Serializable;
import java.util.function.Consumer;
import java.util.function.Supplier;
import org.unimeros.engine.data.Batch;

/** Code that makes rows of sorted rows, which it reads at its own pace, so that groups can be larger than memory. */
public interface GroupCode extends Serializable {

    /** A few words for the plan. */
    String describe();

    /** The code for one attempt of a task, which nothing else uses. */
    Running open(TaskScope scope);

    /** Used by one thread. */
    interface Running extends AutoCloseable {
        /** Reads sorted rows to their end, which is null. Called more than once where groups are combined as they come. */
        void accept(Supplier<Batch> sorted, Consumer<Batch> out);

        /** No more rows come. */
        void finish(Consumer<Batch> out);

        /** Called in any case, also when something failed. */
        @Override
        void close();
    }
}
