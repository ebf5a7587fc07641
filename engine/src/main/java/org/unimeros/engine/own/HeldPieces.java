package org.unimeros.engine.own;

import java.util.Iterator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.UserMistake;

/** Rows that are held in memory for repeated questions, as tasks get at them. Thread-safe. */
public interface HeldPieces {

    /**
     * The rows of a piece, which are those of one task of the run that made them.
     *
     * @throws UserMistake when they were released
     */
    Iterator<Batch> open(String held, int piece);

    /** Where nothing is held. */
    HeldPieces NONE = (held, piece) -> {
        throw new UserMistake("the held rows " + held + " were released");
    };
}
