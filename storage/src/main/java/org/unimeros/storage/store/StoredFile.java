package org.unimeros.storage.store;

/**
 * A file as a store lists it.
 *
 * @param path in the store
 * @param modifiedMillis when it was written, in milliseconds since 1970
 */
public record StoredFile(String path, long bytes, long modifiedMillis) {}
