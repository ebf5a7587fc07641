package org.unimeros.engine.own;

import java.util.function.BooleanSupplier;

/**
 * What an attempt of a task tells the code of a job. Used by the thread of the attempt.
 *
 * @param stage its number in the plan, from 1 on
 * @param task its number in the stage, from 0 on
 * @param attempt its number, from 0 on
 * @param input what it reads, in words: a file and its bytes, or parts of another stage
 * @param counters counted when the attempt counts
 * @param files what the job brings along
 * @param stopped whether the attempt is to end, for code that takes long
 * @param held rows that are held for repeated questions
 * @param memory bytes that a step may hold
 */
public record TaskScope(
        int stage,
        int task,
        int attempt,
        String input,
        Counters counters,
        JobFiles files,
        BooleanSupplier stopped,
        HeldPieces held,
        long memory) {

    /** Where there is no task: while a plan is made. */
    public static final TaskScope NONE =
            new TaskScope(0, 0, 0, "nothing", new Counters(), JobFiles.NONE, () -> false, HeldPieces.NONE, 0);

    /** The same for a step that may hold so many bytes. */
    public TaskScope within(long bytes) {
        return new TaskScope(stage, task, attempt, input, counters, files, stopped, held, bytes);
    }
}
