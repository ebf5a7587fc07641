package org.unimeros.storage.format.csv;

import static java.nio.charset.StandardCharsets.ISO_8859_1;
import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.Reader;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CoderResult;
import java.nio.charset.CodingErrorAction;
import java.util.Arrays;
import org.unimeros.engine.data.Utf8;
import org.unimeros.storage.format.Piece;

/**
 * UTF-8 that is shown to a parser as characters, one for each byte. Separators, quotes and line ends are bytes of their own in UTF-8, so a parser finds
 * fields in it just as in the text; their values are then read from the bytes, which are held from the last {@link #forget} on.
 *
 * <pre>
 * bytes:  [ held and parsed, or shown to the parser | whole characters | part of one ]
 *          0                                    shown            checked        filled
 * </pre>
 *
 * Where fields are separated by a character of several bytes, the parser is shown the characters of the text, and what is held are the
 * {@linkplain #take taken} fields.
 */
final class CsvBytes extends Reader {

    private static final int CHUNK = 1 << 16;
    private static final int ASCII = 128;

    private final InputStream in;
    /** The characters of the text, where those are shown; else null. */
    private final Reader text;

    private final byte quote;
    private byte[] bytes;
    private int filled;
    private int checked;
    private int shown;
    private char[] parsed;
    /** How much further on in the bytes something stands than in the characters of the parser. */
    private int shift;

    private boolean hasEnded;
    private int takenEnd;

    /** Makes a character of each byte. */
    private final CharsetDecoder widening = ISO_8859_1.newDecoder();

    private CharsetDecoder decoder;
    private CharBuffer decoded;

    CsvBytes(Piece lines, char delimiter, char quote) throws IOException {
        // The length of what is read is not that of the file where it is compressed.
        boolean isOnePiece = lines.file().isOnePiece();
        this.quote = (byte) quote;
        this.in = CsvRange.open(lines.file(), lines.start(), isOnePiece ? Long.MAX_VALUE : lines.bytes());
        this.text = delimiter < ASCII ? null : new InputStreamReader(in, decoder());
        this.bytes = new byte[isOnePiece ? CHUNK : Math.clamp(lines.bytes() + 1, 256, CHUNK)];
    }

    private static CharsetDecoder decoder() {
        return UTF_8.newDecoder()
                .onMalformedInput(CodingErrorAction.REPORT)
                .onUnmappableCharacter(CodingErrorAction.REPORT);
    }

    /** Whether fields must be {@linkplain #take taken}, and cannot just be {@linkplain #place found}. */
    boolean areTaken() {
        return text != null;
    }

    /** What is held; valid until the next {@link #read} or {@link #take}. */
    byte[] bytes() {
        return bytes;
    }

    /** Where a field begins whose characters were not changed by the parser. It has as many bytes. */
    int place(int index) {
        return index + shift;
    }

    /** Whether the end of all bytes comes before the quote that closes the field which begins here. */
    boolean isUnclosed(int index) {
        if (!hasEnded || text != null) {
            return false;
        }
        for (int i = place(index); i < filled; i++) {
            if (bytes[i] == quote && (i + 1 == filled || bytes[i + 1] != quote)) {
                return false;
            }
            i += bytes[i] == quote ? 1 : 0;
        }
        return true;
    }

    /** Holds a field as it stands in the array of the parser, and returns where it begins. */
    int take(char[] chars, int index, int length) {
        if (text != null) {
            byte[] utf8 = new String(chars, index, length).getBytes(UTF_8);
            return append(utf8);
        }
        if (chars != parsed) {
            throw new IllegalStateException("fields stand elsewhere than characters were read into");
        }
        int start = place(index);
        takenEnd = start + length;
        for (int i = 0; i < length; i++) {
            bytes[start + i] = (byte) chars[index + i];
        }
        return start;
    }

    private int append(byte[] field) {
        int start = filled;
        if (field.length > bytes.length - start) {
            bytes = Arrays.copyOf(bytes, Math.max(2 * bytes.length, Math.addExact(start, field.length)));
        }
        System.arraycopy(field, 0, bytes, start, field.length);
        filled += field.length;
        takenEnd = filled;
        return start;
    }

    /** Where the field ends that was taken last. */
    int takenEnd() {
        return takenEnd;
    }

    /** Gives up the bytes before a place. */
    void forget(int place) {
        System.arraycopy(bytes, place, bytes, 0, filled - place);
        filled -= place;
        checked -= place;
        shown -= place;
        shift -= place;
    }

    @Override
    public int read(char[] to, int offset, int length) throws IOException {
        if (text != null) {
            return text.read(to, offset, length);
        }
        parsed = to;
        shift = shown - offset;
        while (shown == checked) {
            if (!fill()) {
                return -1;
            }
        }
        int n = Math.min(length, checked - shown);
        widening.decode(ByteBuffer.wrap(bytes, shown, n), CharBuffer.wrap(to, offset, n), false);
        shown += n;
        return n;
    }

    /** Reads on; false at the end. */
    private boolean fill() throws IOException {
        if (filled == bytes.length) {
            bytes = Arrays.copyOf(bytes, 2 * bytes.length);
        }
        int n = in.read(bytes, filled, Math.min(CHUNK, bytes.length - filled));
        if (n < 0) {
            hasEnded = true;
            check(true);
            return false;
        }
        filled += n;
        check(false);
        return true;
    }

    /** Moves on behind the last whole character; fails on bytes that are none. */
    private void check(boolean atEnd) throws IOException {
        if (Utf8.isAscii(bytes, checked, filled)) {
            checked = filled;
            return;
        }
        if (decoder == null) {
            decoder = decoder();
            decoded = CharBuffer.allocate(1 << 13);
        }
        ByteBuffer unchecked = ByteBuffer.wrap(bytes, checked, filled - checked);
        CoderResult result = CoderResult.OVERFLOW;
        while (result.isOverflow()) {
            decoded.clear();
            result = decoder.decode(unchecked, decoded, atEnd);
        }
        if (result.isError()) {
            result.throwException();
        }
        checked = unchecked.position();
    }

    @Override
    public void close() throws IOException {
        in.close();
    }
}
