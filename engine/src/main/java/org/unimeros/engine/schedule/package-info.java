/**
 * Scheduling decisions, without threads, clock or chance of their own. Start with {@link
 * org.unimeros.engine.schedule.Scheduler}, a deterministic state machine from events to commands; {@link
 * org.unimeros.engine.schedule.StageTasks} divides a stage into tasks when its turn has come.
 *
 * <ul>
 *   <li>The same events and the same {@linkplain org.unimeros.engine.schedule.Measured measured sizes} lead to the same
 *       commands, so that a coordinator that was started again goes on from what it has written down.
 *   <li>A failure decides by its kind and by how often a task was tried, never by its text.
 *   <li>Engines in one process and coordinators drive these classes with real events; simulators drive them with made-up
 *       ones.
 * </ul>
 */
package org.unimeros.engine.schedule;
