/** Plain text: one column, {@code line}, and a row per line. */
package org.unimeros.storage.format.text;
