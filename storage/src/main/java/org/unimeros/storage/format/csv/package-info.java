/**
 * CSV as RFC 4180 describes it, read and written by the FastCSV library. An empty field without quotes is null, one with
 * quotes is empty text.
 *
 * <p>Tried, and not kept: columns read from copies of the characters (a tenth slower than field by field), larger pieces of the
 * file at a time, batches of 1,024 rows, places by column and not by record (no difference).
 */
package org.unimeros.storage.format.csv;
