/** Runs on a cluster, as a program sees them, and workers that a program starts for itself. Uses all other packages. */
package org.unimeros.cluster.client;
