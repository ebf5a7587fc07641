package org.unimeros.cli;

import java.util.concurrent.Callable;

/** A command that writes to a console. */
abstract class ConsoleCommand implements Callable<Integer> {

    /** Set before the command is called. */
    Console console;
}
