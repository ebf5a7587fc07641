/**
 * Types, schemas and columnar batches: what every operator works on. Start with {@link
 * org.unimeros.engine.data.Batch}, then {@link org.unimeros.engine.data.Column}. Uses only the error package.
 */
package org.unimeros.engine.data;
