package org.unimeros;

/** How a join is carried out. */
public enum JoinBy {
    /** Decided by the sizes of the sides. */
    SIZE,
    /** The smaller side is copied to all tasks, whatever its size; the other is not moved. */
    COPY,
    /** Both sides are shuffled by their keys. */
    SHUFFLE
}
