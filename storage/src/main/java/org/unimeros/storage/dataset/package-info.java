/**
 * Datasets at rest: where they are, what is in them, and how they are scanned. {@link
 * org.unimeros.storage.dataset.Catalog} knows them by name, {@link org.unimeros.storage.dataset.Dataset} is one that was
 * opened. Uses the format and commit packages.
 */
package org.unimeros.storage.dataset;
