/** Where records go that could not be read. Uses the engine only. */
package org.unimeros.storage.divert;
