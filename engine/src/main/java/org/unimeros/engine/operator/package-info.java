/**
 * The links of a task's chain, and what a task leaves behind.
 *
 * <p>A task pushes batches through a chain of {@link org.unimeros.engine.operator.Operator operators}, of which each has the
 * next. Start there. What holds for all of them, wherever they stand ({@link org.unimeros.engine.group}, {@link
 * org.unimeros.engine.join}, {@link org.unimeros.engine.sort}, {@link org.unimeros.engine.window}, {@link
 * org.unimeros.engine.own.step}):
 *
 * <ul>
 *   <li>One thread uses a chain from the first batch to the last.
 *   <li>A batch that was given on is not changed, and neither is one that was taken; only an operator that {@linkplain
 *       org.unimeros.engine.operator.Operator#forgetsBatch forgets its batch} allows the one before it to use the arrays again.
 *   <li>Batches hold some thousand rows. What is larger is given on in pieces.
 *   <li>{@code finish} comes once, after the last batch; what is held is given on then. A task that fails is not finished.
 *   <li>An operator that wants no more rows says so, and nothing more is read.
 *   <li>What an operator holds, it holds in a {@link org.unimeros.engine.spill.StepSpace}: it asks before it grows, and
 *       writes to scratch files when it is told no.
 *   <li>A task that is no longer wanted ends by {@link org.unimeros.engine.operator.TaskStopped}, between batches or within
 *       a long loop.
 * </ul>
 *
 * <p>Here are the operators that hold no rows ({@link org.unimeros.engine.operator.SimpleOperators}, {@link
 * org.unimeros.engine.operator.Unnest}), and the {@link org.unimeros.engine.operator.TaskResult result} of a task. {@link
 * org.unimeros.engine.chain} links and runs them all.
 */
package org.unimeros.engine.operator;
