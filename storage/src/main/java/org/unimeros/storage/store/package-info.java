/**
 * Where files are. Everything in this module that touches files of datasets does so through a {@link org.unimeros.storage.store.Store}: formats open
 * ranges and create files, listings list, publications move, delete and publish small files. A new kind of store implements that interface and passes
 * {@code StoreContractTest}; nothing else has to change.
 *
 * <p>What all stores must hold:
 * <ul>
 * <li>A path is a text with slashes. A folder is what stands before the last one; stores that know no folders act as if a folder were there as
 * long as a file is below it.
 * <li>A file that was created is whole for whoever opens it after its stream was closed. Before that, anything may be seen of it, so that what is
 * not to be seen is created in a place where nobody looks (staging).
 * <li>{@link org.unimeros.storage.store.Store#publish} replaces a small file as a whole, for good, and only if nobody has changed it since it
 * was read. It is what makes a change of a dataset one step.
 * <li>A moved file is under its old path or its new one, never under none. Stores without renaming copy, then delete.
 * <li>A lock ends with the process that holds it at the latest.
 * </ul>
 *
 * <p>Start reading at {@link org.unimeros.storage.store.Store}; {@link org.unimeros.storage.store.LocalStore} is the file system of this machine.
 */
package org.unimeros.storage.store;
