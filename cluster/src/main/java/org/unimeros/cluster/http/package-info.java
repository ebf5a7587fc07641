/** One port per process and requests to others, with the key of the cluster. Uses the messages. */
package org.unimeros.cluster.http;
