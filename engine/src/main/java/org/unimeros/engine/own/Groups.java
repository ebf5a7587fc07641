package org.unimeros.engine.own;

import org.unimeros.engine.data.Batch;

/** Walks rows group by group, each group once and row by row. Used by one thread. */
public interface Groups {

    /** Goes to the first row of the next group, past what is left of this one; false at the end. */
    boolean nextGroup();

    /** Goes to the next row of the group, after its first; false at its end. */
    boolean nextRow();

    /** Where the row is. */
    Batch batch();

    /** Its number there. */
    int row();
}
