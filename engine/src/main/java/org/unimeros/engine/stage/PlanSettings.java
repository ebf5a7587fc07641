package org.unimeros.engine.stage;

/**
 * What the stage planner needs to know.
 *
 * @param targetSplitBytes what one scan task should read
 * @param copyLimitBytes a join side up to this size is copied to every task
 * @param parts into how many parts a shuffle divides its rows; small ones are merged afterwards
 */
public record PlanSettings(long targetSplitBytes, long copyLimitBytes, int parts) {}
