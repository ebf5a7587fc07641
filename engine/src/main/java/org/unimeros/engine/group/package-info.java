/**
 * Groups: rows by key, summarised in limited memory. Start with {@link org.unimeros.engine.group.Groups}.
 *
 * <pre>
 *   rows ─ {@link org.unimeros.engine.group.PartialGroup} ─ shuffle by key ─ {@link org.unimeros.engine.group.FinalGroup} ─ groups
 *   rows ─ shuffle by key ─ {@link org.unimeros.engine.group.WholeGroup} ─ groups        (aggregates that need all values together)
 * </pre>
 *
 * <ul>
 *   <li>A batch between the partial and the final grouping has the form that {@link org.unimeros.engine.group.GroupForm}
 *       says: partial columns behind the keys, or rows that were not grouped since nearly each had a key of its own.
 *   <li>A partial grouping that is full passes on what it has and begins anew. It never writes to files.
 *   <li>A final grouping that is full divides its groups by the hash of their keys into files, and all that follow with
 *       them; each division is then merged by itself, and divided again where it is still too large ({@link
 *       org.unimeros.engine.group.GroupMerger}). At some depth it is said that memory is not enough.
 *   <li>Whole groups are sorted by key when a group is larger than memory ({@link org.unimeros.engine.group.LargeGroups}),
 *       so that a single key of any number of rows is summarised.
 *   <li>The order of groups is not defined. Without keys there is one group, also where there are no rows.
 * </ul>
 */
package org.unimeros.engine.group;
