/**
 * Joins. Start with {@link org.unimeros.engine.join.JoinTable}, then {@link org.unimeros.engine.join.JoinPass}.
 *
 * <pre>
 *   build side ─ {@link org.unimeros.engine.join.JoinTable}          rows by key, shared by tasks where it is copied
 *   probe side ─ {@link org.unimeros.engine.join.ProbeJoin} ─ pairs  looks each row's key up
 *   either too large ─ {@link org.unimeros.engine.join.SpillJoin}    both sides divided by the hash of their keys, one division after the other
 * </pre>
 *
 * <ul>
 *   <li>A null key matches nothing. Rows with one stand behind all others of the table, for joins that keep them.
 *   <li>A table is not changed once it is built; each task looks up with a {@link
 *       org.unimeros.engine.join.JoinTable.Prober} of its own.
 *   <li>Rows of the build side that matched nothing are known only after the last row of the probe side; a task that has
 *       a share of the probe side never joins with {@code keepsBuild} on a copied table.
 *   <li>Conditions beside the keys are computed on pairs, some thousand at a time, however many a row makes.
 *   <li>Every pair is counted before it is made ({@link org.unimeros.engine.join.PairWatch}), so that a join that explodes
 *       is said, or ended, while it is small.
 * </ul>
 *
 * <p>Tried, and not kept: rows of the probe side that wait until there are millions of them (no gain); both sides divided where
 * the smaller could be copied (faster with two columns, half as fast with seven, and no rule that tells); sums and counts of
 * pairs in four lanes or in one loop (no gain).
 */
package org.unimeros.engine.join;
