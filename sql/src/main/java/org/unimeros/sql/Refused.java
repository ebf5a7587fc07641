package org.unimeros.sql;

import org.unimeros.engine.error.UserMistake;

/** What the parser takes and nothing gives a meaning to. */
final class Refused {

    private Refused() {}

    /** A mistake that names what is not supported, and what to write instead. */
    static UserMistake unsupported(String what, String instead) {
        return new UserMistake(what + " is not supported; " + instead);
    }
}
