/**
 * The operators that run code of the job: on rows as they come ({@link org.unimeros.engine.own.step.ApplyCode}), on rows of
 * equal keys, some at a time, to make them fewer before a shuffle ({@link org.unimeros.engine.own.step.CombineRows}), and on
 * all rows in the order of their keys ({@link org.unimeros.engine.own.step.ReduceRows}). The code itself is known by the
 * interfaces of {@link org.unimeros.engine.own}. It is opened once for each attempt of a task, used by its thread alone, and
 * closed in any case.
 */
package org.unimeros.engine.own.step;
