/**
 * Parquet. Read by the Hardwood library; written through the column writers of parquet-column, with pages, chunks and
 * footer laid out here after the format's specification.
 *
 * <pre>
 * file:      "PAR1" row-group* footer footer-length(4, little endian) "PAR1"
 * row group: one chunk per column
 * chunk:     [dictionary page] data page*
 * page:      header (Thrift) | body, compressed
 * </pre>
 *
 * Nested and repeated fields are read and written by their repetition and definition levels (NestedColumn, LeafWriter).
 */
package org.unimeros.storage.format.parquet;
