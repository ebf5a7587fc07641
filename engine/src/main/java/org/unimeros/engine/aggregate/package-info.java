/**
 * The states of aggregates, for all groups at once. Start with {@link org.unimeros.engine.aggregate.Accumulator}.
 *
 * <ul>
 *   <li>States are arrays by the number of the group. They are reserved before rows are added, so that loops have no checks.
 *   <li>A state is added to by rows, merged with the partial columns of another task, given as partial columns, or given as
 *       the result. Rows added here or partial columns merged give the same: sums of whole numbers and decimals are exact
 *       in 128 or 192 bits, and sums of doubles keep their rounding errors, so that a result does not depend on how rows
 *       were divided among tasks.
 *   <li>Whether a result is out of range is asked of the result and not of sums on the way to it.
 *   <li>Null is no value to any of them but for the count of rows. A group without values gives null, a count 0.
 *   <li>What a state knows about groups that had no value is noted only until all had one ({@link
 *       org.unimeros.engine.aggregate.SeenGroups}).
 * </ul>
 *
 * <p>A new aggregate is a class here, its case in {@link org.unimeros.engine.aggregate.Accumulator#of}, and its line in
 * {@link org.unimeros.engine.expr.Aggregates}. Aggregates that must see all values of a group together are in {@link
 * org.unimeros.engine.group.Collected}.
 */
package org.unimeros.engine.aggregate;
