package org.unimeros.engine.own;

import java.util.function.BooleanSupplier;
import org.unimeros.engine.schedule.AttemptId;

/**
 * What an attempt of a task tells the code of a job. Used by the thread of the attempt.
 *
 * @param attempt which one it is
 * @param input what it reads, in words: a file and its bytes, or parts of another stage
 * @param counters counted when the attempt counts
 * @param files what the job brings along
 * @param stopped whether the attempt is to end, for code that takes long
 */
public record TaskScope(
        AttemptId attempt, String input, Counters counters, JobFiles files, BooleanSupplier stopped) {}
