/**
 * Files of a job on their way to where its tasks run: its jars and attachments, named by the hash of their content ({@link FileRef}), kept
 * once per process ({@link FileStore}), packed by clients ({@link JobPack}) and opened by workers ({@link OpenFiles}). Which worker
 * fetches from which other is {@link FileTree}'s to say.
 */
package org.unimeros.cluster.files;
