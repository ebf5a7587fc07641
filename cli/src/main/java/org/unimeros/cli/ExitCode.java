package org.unimeros.cli;

import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;

/** What the command tells its caller by its exit code. */
final class ExitCode {

    static final int DONE = 0;
    /** The command line cannot be understood. */
    static final int USAGE = 2;
    /** The job is wrong: unknown names, types that do not fit, data that is there already. */
    static final int USER_MISTAKE = 3;
    /** Data is not what it should be; nothing was written. */
    static final int BAD_DATA = 4;
    /** A file, a permission, memory or disk space is missing; nothing was written. */
    static final int RESOURCE = 5;
    /** The run was cancelled; nothing was written. */
    static final int CANCELLED = 6;
    /** A mistake in the program itself. */
    static final int INTERNAL = 70;

    private ExitCode() {}

    static int of(UnimerosException e) {
        return switch (e) {
            case UserMistake m -> USER_MISTAKE;
            case BadData d -> BAD_DATA;
            case ResourceFailure r -> RESOURCE;
            case InternalFault f -> INTERNAL;
        };
    }
}
