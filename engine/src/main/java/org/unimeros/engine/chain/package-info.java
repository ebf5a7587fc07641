/**
 * What links the operators of a task and runs them. Start with {@link org.unimeros.engine.chain.TaskChain}: it makes the
 * operator of each step, a {@link org.unimeros.engine.chain.Meter} before each, and one of the {@link
 * org.unimeros.engine.chain.Outputs} behind the last; then it pushes what the task reads through.
 *
 * <ul>
 *   <li>A step that holds rows gets an equal share of the memory of the task.
 *   <li>The time of a step is that until it gives control back, without the time of the steps behind it.
 *   <li>Memory, scratch files and code of the job are given back however the task ends; only what its output kept stays, and
 *       only if the task has a result.
 * </ul>
 */
package org.unimeros.engine.chain;
