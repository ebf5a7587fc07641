/**
 * Window functions. Start with {@link org.unimeros.engine.window.WindowRows}.
 *
 * <ul>
 *   <li>Rows are sorted by partition and order, and a partition is worked on when its end has come by; the rows of one that
 *       is larger than memory stand in a file ({@link org.unimeros.engine.sort.SortedRows}).
 *   <li>All functions of a step go through a partition together, row after row ({@link
 *       org.unimeros.engine.window.WindowValues}).
 *   <li>A frame only moves forward: its ends are kept and moved ({@link org.unimeros.engine.window.FramePointers}). Rows
 *       that leave it are taken away where that is exact, and else it is summed anew in blocks ({@link
 *       org.unimeros.engine.window.SlidingAggregate}).
 *   <li>Rows are given on in the order of partition and window.
 * </ul>
 */
package org.unimeros.engine.window;
