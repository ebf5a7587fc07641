/**
 * Scheduling decisions: a deterministic state machine without threads, clock or chance of its own. The in-process engine
 * drives it with real events; a simulator can drive it with made-up ones. Uses nothing else of the engine.
 */
package org.unimeros.engine.schedule;
