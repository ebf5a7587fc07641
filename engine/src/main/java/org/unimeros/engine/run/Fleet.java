package org.unimeros.engine.run;

import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.TaskInput;

/**
 * Carries out what a {@link RunDriver} decides: threads of this process, or workers elsewhere. Called by the driving
 * thread, and returns at once; what comes of it is reported to the driver.
 */
public interface Fleet {

    void launch(AttemptId attempt, String worker, TaskInput input);

    /** Nothing is to be reported of this attempt any more, and what it made is not kept. */
    void stop(AttemptId attempt, String worker);

    /** All tasks of the stage have their result; what only they shared can go. */
    void stageFinished(int stage);

    /** The worker at an address; null when there is none. */
    default String workerAt(String place) {
        return null;
    }

    /** Nobody reads what the stage made. */
    void release(int stage);
}
