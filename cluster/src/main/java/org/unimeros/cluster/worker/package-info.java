/** The processes that work. Uses the messages, HTTP, the transfer of rows, and the runner of tasks of the engine. */
package org.unimeros.cluster.worker;
