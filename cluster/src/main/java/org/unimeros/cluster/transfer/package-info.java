/** Rows on their way from one worker to another. Uses the messages and HTTP. */
package org.unimeros.cluster.transfer;
