/** The process that decides: workers, runs, and what each is told. Uses the messages, HTTP and the driver of the engine. */
package org.unimeros.cluster.coordinator;
