/**
 * Runs physical plans in this process: threads for slots, parts in memory, events for whoever watches. Start with {@link
 * org.unimeros.engine.run.LocalRunner}. Uses all other packages of the engine.
 */
package org.unimeros.engine.run;
