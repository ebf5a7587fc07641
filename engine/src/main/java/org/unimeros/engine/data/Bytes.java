package org.unimeros.engine.data;

import java.io.Serializable;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.Optional;

/** A sequence of bytes, as a value: equal when the bytes are, ordered by unsigned bytes. Immutable. */
public final class Bytes implements Comparable<Bytes>, Serializable {

    private final byte[] content;

    private Bytes(byte[] content) {
        this.content = content;
    }

    public static Bytes of(byte... content) {
        return new Bytes(content.clone());
    }

    public static Bytes of(byte[] source, int start, int end) {
        return new Bytes(Arrays.copyOfRange(source, start, end));
    }

    /** The bytes that pairs of hexadecimal digits stand for; empty when the text is something else. */
    public static Optional<Bytes> ofHex(String digits) {
        try {
            return Optional.of(new Bytes(HexFormat.of().parseHex(digits)));
        } catch (IllegalArgumentException e) {
            return Optional.empty();
        }
    }

    public int length() {
        return content.length;
    }

    public byte[] toArray() {
        return content.clone();
    }

    @Override
    public int compareTo(Bytes other) {
        return Arrays.compareUnsigned(content, other.content);
    }

    @Override
    public boolean equals(Object other) {
        return other instanceof Bytes that && Arrays.equals(content, that.content);
    }

    @Override
    public int hashCode() {
        return Arrays.hashCode(content);
    }

    /** Hexadecimal digits, lower case. */
    @Override
    public String toString() {
        return HexFormat.of().formatHex(content);
    }
}
