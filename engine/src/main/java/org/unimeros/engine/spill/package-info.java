/**
 * Memory that a run may use, and where rows go that do not fit: {@link org.unimeros.engine.spill.Workspace} divides the
 * budget of a run, {@link org.unimeros.engine.spill.SpillFile} keeps blocks of rows outside memory, and {@link
 * org.unimeros.engine.spill.Chunk} is a batch that may be in either place. The files themselves are made by whoever
 * opens the engine ({@link org.unimeros.engine.spill.Scratch}). Uses data and error.
 */
package org.unimeros.engine.spill;
