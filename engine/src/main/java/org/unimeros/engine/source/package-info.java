/**
 * What the engine asks of the outside: tables to read, split by split, and places to write to. Storage implements
 * these. Uses data, expr and error.
 */
package org.unimeros.engine.source;
