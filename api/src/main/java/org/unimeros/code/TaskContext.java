package org.unimeros.code;

import java.nio.file.Path;
import java.util.Set;
import org.unimeros.engine.error.UserMistake;

/** What a task tells the code that runs in it. Used by the thread of the task. */
public interface TaskContext {

    /** The number of the stage in the plan of the run, from 1 on. */
    int stage();

    /** The number of the task in its stage, from 0 on; of a stage that reduces, the number of the reducer. */
    int task();

    /** The number of the attempt, from 0 on. */
    int attempt();

    /** What the task reads: a file and which bytes of it, or what another stage made. */
    String input();

    /**
     * Adds to a counter of the job. Counters are summed over all tasks, each of which counts once whatever the number of its
     * attempts; they are shown with the run, by group.
     */
    void count(String group, String name, long amount);

    /**
     * A file that was attached to the job under this name, or the folder of an archive, on this machine. It is not to be changed.
     *
     * @throws UserMistake when nothing of that name is attached
     */
    Path attachment(String name);

    /** The names under which files and archives are attached. */
    Set<String> attachments();

    /** A line in the log of the task. */
    System.Logger log();

    /** Whether the result of the task is not wanted any more; for code that takes long. */
    boolean isStopped();
}
