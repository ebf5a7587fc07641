/**
 * Jobs that are slow for one reason each, with the same jobs cured, to try out what the diagnosis says of them and whether the gain that it foretells
 * comes true. They make their data themselves. Uses the public interface only.
 */
package org.unimeros.examples.sick;
