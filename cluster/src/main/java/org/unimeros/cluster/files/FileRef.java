package org.unimeros.cluster.files;

import java.io.Serializable;

/**
 * A file by its content.
 *
 * @param hash the SHA-256 of its bytes, in hexadecimal
 * @param name what the job calls it
 * @param role what it is for
 */
public record FileRef(String hash, String name, long bytes, Role role) implements Serializable {

    /** What a file is for. */
    public enum Role {
        /** Classes of the job. */
        CODE,
        /** Handed to tasks as it is. */
        FILE,
        /** Unpacked, and handed to tasks as a folder. */
        ARCHIVE
    }

    /** Whether a text is a hash. */
    public static boolean isHash(String text) {
        return text.matches("[0-9a-f]{64}");
    }
}
