/** The {@code unimeros} command. Results go to the standard output, everything else to the standard error output. */
package org.unimeros.cli;
