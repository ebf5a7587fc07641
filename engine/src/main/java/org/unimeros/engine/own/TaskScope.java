package org.unimeros.engine.own;

import java.util.function.BooleanSupplier;
import org.unimeros.engine.schedule.AttemptId;

/**
 * What an attempt of a task tells the code of a job. Used by the thread of the attempt.
 *
 * @param attempt which one it is
 * @param input what it reads, in words: a file and its bytes, or parts of another stage
 * @param counters counted when the attempt counts
 * @param loader finds the classes of the job; null for those of this process
 * @param stopped whether the attempt is to end, for code that takes long
 */
public record TaskScope(
        AttemptId attempt, String input, Counters counters, ClassLoader loader, BooleanSupplier stopped) {}
