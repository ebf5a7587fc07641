/** One small main class per job step, over the demo data of a parcel network. Uses the public interface only. */
package org.unimeros.examples;
