/**
 * CSV as RFC 4180 describes it, read and written by the FastCSV library. An empty field without quotes is null, one with
 * quotes is empty text.
 */
package org.unimeros.storage.format.csv;
