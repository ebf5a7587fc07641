package org.unimeros.engine.source;

import java.io.Serializable;

/**
 * A record that cannot be read.
 *
 * @param file that it is in
 * @param line of the file that it begins in, from 1 on; 0 where that is not known
 * @param reason what is wrong with it
 * @param raw the record as it stands in the file; empty where nobody keeps such records
 */
public record BadRecord(String file, long line, String reason, byte[] raw) implements Serializable {

    /** What is told of it, with what can be done about it. */
    public String told(String advice) {
        return file + (line > 0 ? ":" + line : "") + ": " + reason + advice;
    }
}
