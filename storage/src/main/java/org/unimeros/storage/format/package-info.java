/**
 * File formats behind one small interface, {@link org.unimeros.storage.format.Format}: how schemas are found, pieces of
 * files are read into batches, and batches are written. One package per format; classes of format libraries stay in
 * them.
 */
package org.unimeros.storage.format;
