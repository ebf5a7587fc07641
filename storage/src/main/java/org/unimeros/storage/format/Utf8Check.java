package org.unimeros.storage.format;

import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CoderResult;
import java.nio.charset.StandardCharsets;
import org.unimeros.engine.data.Utf8;

/** Tells whether bytes are text in UTF-8. Not thread-safe. */
public final class Utf8Check {

    private final CharsetDecoder decoder = StandardCharsets.UTF_8.newDecoder();
    private final CharBuffer decoded = CharBuffer.allocate(1 << 13);

    /** Whether they are whole characters of UTF-8. */
    public boolean isValid(byte[] bytes) {
        if (Utf8.isAscii(bytes, 0, bytes.length)) {
            return true;
        }
        ByteBuffer left = ByteBuffer.wrap(bytes);
        decoder.reset();
        CoderResult result = CoderResult.OVERFLOW;
        while (result.isOverflow()) {
            decoded.clear();
            result = decoder.decode(left, decoded, true);
        }
        return !result.isError();
    }
}
