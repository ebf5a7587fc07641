/**
 * The main programs of jobs, wherever they are launched: a process of its own ({@link MainProcess}) with the files of the job laid out for it
 * ({@link JobFolder}), whose output and end are told to the coordinator. In that process {@link MainProgram} calls the job's main class.
 * Uses the messages, HTTP and the files of jobs.
 */
package org.unimeros.cluster.job;
