/**
 * Rows in order. Start with {@link org.unimeros.engine.sort.RowSorter}.
 *
 * <p>Keys become words whose unsigned order is that of the values ({@link org.unimeros.engine.sort.SortWords}); words are
 * sorted by their bytes ({@link org.unimeros.engine.sort.RowOrder}). What does not fit into memory is written as sorted runs,
 * which are merged by a tree of losers ({@link org.unimeros.engine.sort.Tournament}).
 *
 * <ul>
 *   <li>Sorts are stable: rows with equal keys stay in the order in which they came.
 *   <li>Of equal keys of several runs, the earlier run comes first.
 *   <li>A range of sorted rows is never cut within equal keys of its cut ({@link org.unimeros.engine.sort.SortedRuns}); all
 *       rows of a range come before those of the next.
 *   <li>With a limit, rows behind the last that can still be wanted are left out before they are held.
 * </ul>
 *
 * <p>An order of all rows takes two stages: tasks sort for themselves and note the keys at which their chunks begin ({@link
 * org.unimeros.engine.sort.RunStarts}); the next stage merges a range in each task ({@link
 * org.unimeros.engine.sort.MergeRuns}).
 *
 * <p>Tried, and not kept: spilled rows at the lowest ordinary level of Zstandard (a quarter of the time; now at a quick one where
 * that makes blocks hardly larger, {@link org.unimeros.engine.spill.PackLevel}).
 */
package org.unimeros.engine.sort;
