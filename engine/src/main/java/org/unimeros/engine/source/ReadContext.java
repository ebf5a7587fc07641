package org.unimeros.engine.source;

import org.unimeros.engine.error.BadData;
import org.unimeros.engine.own.TaskScope;

/** What a reader tells while it reads. */
public interface ReadContext {

    /**
     * A record that cannot be read. Returns when the job goes on without it.
     *
     * @param advice what the user can do about it, added to what is told of it
     * @throws BadData when the job must not go on
     */
    void badRecord(BadRecord record, String advice);

    /** Whether the job goes on without bad records, so that it must not depend on the columns that it reads which ones they are. */
    default boolean leavesOutBadRecords() {
        return false;
    }

    /** Whether bad records are kept, so that their raw form is wanted. */
    default boolean keepsBadRecords() {
        return false;
    }

    /** What code of the job is told where it reads. */
    default TaskScope scope() {
        return TaskScope.NONE;
    }

    /** Something that the user should know, said once per text and run. */
    void warn(String message);

    /** Fails every bad record and drops warnings; for looking at data outside a run. */
    ReadContext STRICT = new ReadContext() {
        @Override
        public void badRecord(BadRecord record, String advice) {
            throw new BadData(record.told(advice));
        }

        @Override
        public void warn(String message) {
            // nobody is listening outside a run
        }
    };
}
