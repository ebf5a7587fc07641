package org.unimeros.engine.own;

import java.io.Serializable;

/**
 * A large value that functions hold and only read. Where tasks run it is opened once, and all functions of all tasks get what was opened
 * in its place.
 */
public interface Shareable extends Serializable {

    /** The same for equal values, and for no others. */
    String key();

    /** What functions get. */
    Object open();
}
