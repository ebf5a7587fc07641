package org.unimeros.storage.format;

import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.Charset;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CharsetEncoder;
import java.nio.charset.CoderResult;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import org.unimeros.engine.error.BadData;
import org.unimeros.storage.store.StorePath;

/** Text in some encoding, as UTF-8. Not thread-safe. */
final class Utf8Input extends InputStream {

    private static final int CHUNK = 1 << 14;

    private final InputStream in;
    private final Charset encoding;
    private final StorePath file;
    private final CharsetDecoder decoder;
    private final CharsetEncoder encoder = StandardCharsets.UTF_8.newEncoder();
    /** Those behind have room for all that comes of what is before, so that nothing is left over. */
    private final ByteBuffer raw = ByteBuffer.allocate(CHUNK).flip();

    private final CharBuffer chars = CharBuffer.allocate(2 * CHUNK).flip();
    private final ByteBuffer ready = ByteBuffer.allocate(6 * CHUNK).flip();
    private boolean hasEnded;

    Utf8Input(InputStream in, Charset encoding, StorePath file) {
        this.in = in;
        this.encoding = encoding;
        this.file = file;
        this.decoder = encoding.newDecoder()
                .onMalformedInput(CodingErrorAction.REPORT)
                .onUnmappableCharacter(CodingErrorAction.REPORT);
    }

    @Override
    public int read() throws IOException {
        byte[] one = new byte[1];
        return read(one, 0, 1) < 0 ? -1 : one[0] & 0xFF;
    }

    @Override
    public int read(byte[] to, int offset, int length) throws IOException {
        while (!ready.hasRemaining() && fill()) {
            // a chunk can end within a character
        }
        if (!ready.hasRemaining()) {
            return length == 0 ? 0 : -1;
        }
        int n = Math.min(length, ready.remaining());
        ready.get(to, offset, n);
        return n;
    }

    /** Translates some more; false at the end. */
    private boolean fill() throws IOException {
        if (hasEnded) {
            return false;
        }
        raw.compact();
        int n = in.read(raw.array(), raw.position(), raw.remaining());
        hasEnded = n < 0;
        raw.position(raw.position() + Math.max(0, n)).flip();
        chars.compact();
        CoderResult decoded = decoder.decode(raw, chars, hasEnded);
        if (hasEnded && !decoded.isError()) {
            decoder.flush(chars);
        }
        require(decoded);
        chars.flip();
        ready.clear();
        require(encoder.encode(chars, ready, hasEnded));
        ready.flip();
        return true;
    }

    private void require(CoderResult result) {
        if (result.isError()) {
            try {
                result.throwException();
            } catch (CharacterCodingException e) {
                throw new BadData(
                        file + " is not text in " + encoding.name() + "; say its encoding, or mend the file", e);
            }
        }
    }

    @Override
    public void close() throws IOException {
        in.close();
    }
}
