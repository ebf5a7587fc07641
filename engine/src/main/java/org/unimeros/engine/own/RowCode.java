package org.unimeros.engine.own;

import java.io.Serializable;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;

/** Code that makes rows of each of the rows that come by. */
public interface RowCode extends Serializable {

    /** A few words for the plan. */
    String describe();

    /** The code for one attempt of a task, which nothing else uses. */
    Running open(TaskScope scope);

    /** Used by one thread. */
    interface Running extends AutoCloseable {
        void accept(Batch batch, Consumer<Batch> out);

        /** No more rows come. */
        void finish(Consumer<Batch> out);

        /** Called in any case, also when something failed. */
        @Override
        void close();
    }
}
