/**
 * JSON Lines: one JSON object per line, read and written by the Jackson streaming library. Fields of nested objects
 * become columns with dotted names; lists become text.
 */
package org.unimeros.storage.format.json;
