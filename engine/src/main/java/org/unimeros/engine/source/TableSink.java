package org.unimeros.engine.source;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.own.TaskScope;

/**
 * A place that the rows of a run are written to. Task writers write aside; {@link #publish} makes all of it visible in
 * one step, or {@link #abandon} removes all of it.
 */
public interface TableSink extends Serializable {

    /** A line for the plan: where and how. */
    String describe();

    /** The columns of its rows by which they are divided, whatever task writes them; none unless said. */
    default List<Integer> partitionColumns() {
        return List.of();
    }

    /**
     * Called before the first writer is opened, by the process that will {@link #publish} or {@link #abandon}; writers can be opened
     * in others as well.
     */
    default void begin() {
        // nothing to prepare
    }

    /**
     * A writer for one attempt of a task; attempts never write to the same place.
     *
     * @param scope what code of the job is told where it writes
     */
    TaskWriter open(int task, int attempt, TaskScope scope);

    /** Makes the output of the given attempts, and of no others, visible. */
    void publish(List<TaskOutput> outputs);

    /** Removes whatever was written; can be called more than once, and after a failed publication. */
    void abandon();

    /** Writes the rows of one attempt. Used by one thread. */
    interface TaskWriter {

        /** Makes a file even when no row comes, where one attempt writes one file. */
        default void requireFile() {
            // without files there is nothing to make
        }

        void write(Batch batch);

        /** Completes the files. */
        TaskOutput finish();

        /** Gives up; what was written is removed now or with {@link TableSink#abandon}. */
        void abort();
    }

    /** What an attempt wrote. {@code files} are names that the sink knows to publish. */
    record TaskOutput(List<String> files, long rows, long bytes) implements Serializable {
        public TaskOutput {
            files = List.copyOf(files);
        }
    }
}
