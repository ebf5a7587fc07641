/**
 * JSON Lines: one JSON object per line, read and written by the Jackson streaming library. Nested objects
 * and lists become structs and lists, unless a column is declared by the path of a field inside.
 */
package org.unimeros.storage.format.json;
