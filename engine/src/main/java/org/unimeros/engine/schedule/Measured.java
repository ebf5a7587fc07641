package org.unimeros.engine.schedule;

import java.util.List;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.sort.SortedRuns;

/** What finished stages made, as far as it decides how later ones are divided into tasks. */
public interface Measured {

    /** Rows of all parts of a stage. */
    long rows(int stage);

    /** Bytes of all parts of a stage. */
    long bytes(int stage);

    /** Adds the bytes of each part of a stage. */
    void addBytes(int stage, long[] bytes);

    /** What each task of a stage made for a part, in the order of the tasks. */
    List<Made> made(int stage, int part);

    /** Rows that a task made for a part. */
    record Made(int task, long rows) {}

    /** The frequent keys that the tasks of a stage noted. */
    List<KeySketch> sketches(int stage);

    /** The rows that the tasks of a stage sorted, to be cut. */
    SortedRuns sorted(int stage, List<SortKey> keys);
}
