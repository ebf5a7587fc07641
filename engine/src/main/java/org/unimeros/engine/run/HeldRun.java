package org.unimeros.engine.run;

import java.util.List;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.source.HeldTable.Piece;

/** A run whose rows are held for repeated questions. Thread-safe. */
public interface HeldRun {

    /** How the run went; without the rows. */
    RunOutcome outcome();

    /**
     * The pieces and where they are, once all of them are there.
     *
     * @throws UserMistake when they were released
     * @throws ResourceFailure when pieces that were lost are not made again in time, or why they cannot be
     */
    List<Piece> pieces();

    /**
     * Has each piece kept at so many places, as far as there are as many, and waits until that is so.
     *
     * @throws ResourceFailure when it takes too long
     */
    void replicate(int copies);

    /** Forgets the rows. Can be called more than once. */
    void release();
}
