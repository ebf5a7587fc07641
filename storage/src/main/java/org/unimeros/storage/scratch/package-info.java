/** Files for rows that do not fit into memory. Uses the engine only. */
package org.unimeros.storage.scratch;
