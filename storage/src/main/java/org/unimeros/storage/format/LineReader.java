package org.unimeros.storage.format;

import java.io.IOException;
import java.io.InputStream;
import java.util.Arrays;
import org.unimeros.engine.data.Utf8;
import org.unimeros.engine.error.BadData;

/**
 * The lines of a piece of a file: those that begin in it. A piece that does not start a file first skips to the line
 * that begins in it, and the last line is read to its end, wherever that is. Line ends are LF or CR LF.
 */
public final class LineReader implements AutoCloseable {

    private static final int BUFFER = 1 << 18;
    private static final int LONGEST_LINE = 1 << 28;

    private final Piece piece;
    private final InputStream in;
    /** Lines that begin here or later belong to others; what can be read from its start only is one piece. */
    private final long end;

    private byte[] buffer;
    private int position;
    private int filled;
    private long offset;
    private long lineNumber;
    private int lineStart;
    private int lineLength;
    private boolean atEnd;
    private int fills;
    /** How many lines of the file begin before the piece; -1 as long as nobody has asked. */
    private long linesBefore = -1;

    public LineReader(Piece piece) {
        this.piece = piece;
        // Small files get small buffers, one byte larger than they are so that their end is seen.
        this.end = piece.file().isOnePiece() ? Long.MAX_VALUE : piece.end();
        this.buffer = new byte[Math.clamp(piece.bytes() + 1, 256, BUFFER)];
        boolean fromStart = piece.start() == 0;
        this.offset = fromStart ? 0 : piece.start() - 1;
        this.in = Io.open(piece.file(), offset);
        if (!fromStart) {
            skipLine();
            lineNumber = 0;
        }
    }

    /** Skips to the line that begins in the piece: the rest of the line that holds the byte before it. */
    private void skipLine() {
        int lineEnd = findEnd();
        int next = Math.min(lineEnd + 1, filled);
        offset += next - position;
        position = next;
    }

    /** Moves to the next line; false when the piece has no more. */
    public boolean next() {
        if (offset >= end || atEnd) {
            return false;
        }
        int lineEnd = findEnd();
        if (lineEnd == position && lineEnd == filled) {
            atEnd = true;
            return false;
        }
        lineStart = position;
        lineLength = lineEnd - position;
        if (lineLength > 0 && buffer[lineEnd - 1] == '\r') {
            lineLength--;
        }
        int next = Math.min(lineEnd + 1, filled);
        offset += next - position;
        position = next;
        lineNumber++;
        return true;
    }

    /**
     * Moves behind several lines at once, writing where they begin and end in the {@link #buffer}.
     *
     * @return how many there are; 0 when the piece has no more
     */
    public int next(int[] starts, int[] ends) {
        if (!next()) {
            return 0;
        }
        starts[0] = lineStart;
        ends[0] = lineStart + lineLength;
        long last = Math.min(filled, position + (end - offset));
        int lines = Utf8.indexesOf(buffer, position, filled, (byte) '\n', ends, 1);
        int at = position;
        for (int i = 1; i < lines; i++) {
            starts[i] = at;
            at = ends[i] + 1;
        }
        while (lines > 1 && starts[lines - 1] >= last) {
            at = starts[--lines];
        }
        for (int i = 1; i < lines; i++) {
            // Before an empty line stands the end of the one before.
            ends[i] -= buffer[ends[i] - 1] == '\r' ? 1 : 0;
        }
        offset += at - position;
        position = at;
        lineNumber += lines - 1;
        return lines;
    }

    /** The place of the next line end in the buffer, which grows or is refilled as needed; {@code filled} at the end. */
    private int findEnd() {
        int from = position;
        while (true) {
            int at = Utf8.indexOf(buffer, from, filled, (byte) '\n');
            if (at >= 0) {
                return at;
            }
            int scanned = filled - position;
            if (!fill()) {
                return filled;
            }
            from = position + scanned;
        }
    }

    private boolean fill() {
        if (position > 0) {
            System.arraycopy(buffer, position, buffer, 0, filled - position);
            filled -= position;
            position = 0;
        } else if (filled == buffer.length) {
            if (buffer.length >= LONGEST_LINE) {
                throw new BadData("a line of more than " + LONGEST_LINE + " bytes in " + piece.file()
                        + "; is it really a text file?");
            }
            buffer = Arrays.copyOf(buffer, buffer.length * 2);
        }
        try {
            int n = in.read(buffer, filled, buffer.length - filled);
            if (n <= 0) {
                return false;
            }
            filled += n;
            fills++;
            return true;
        } catch (IOException e) {
            throw Io.failure("read", piece.file().path(), e);
        }
    }

    /** The buffer that holds the line; valid until the next call of {@link #next}. */
    public byte[] buffer() {
        return buffer;
    }

    /** Where the buffer ends. */
    public int filled() {
        return filled;
    }

    /** How often the buffer was filled, which moves what it holds. */
    public int fills() {
        return fills;
    }

    public int lineStart() {
        return lineStart;
    }

    public int lineLength() {
        return lineLength;
    }

    public byte[] copyLine() {
        return Arrays.copyOfRange(buffer, lineStart, lineStart + lineLength);
    }

    /** The number of the line among those of the piece, from 1 on. */
    public long lineNumber() {
        return lineNumber;
    }

    /** File and line number, for messages. */
    public String place() {
        return place(lineNumber);
    }

    /** File and line number of a line that is one of the piece; counts the lines before that once, so it is not for hot paths. */
    public String place(long line) {
        return piece.file() + ":" + lineInFile(line);
    }

    /** The line of the file that is a line of the piece; counts the lines before that once. */
    public long lineInFile(long line) {
        linesBefore = linesBefore < 0 ? linesBefore(piece) : linesBefore;
        return linesBefore + line;
    }

    /** The path of the file. */
    public String file() {
        return piece.file().toString();
    }

    /** How many lines of the file begin before a piece. */
    public static long linesBefore(Piece piece) {
        if (piece.start() == 0) {
            return 0;
        }
        long lines = 0;
        try (InputStream in = Io.open(piece.file(), 0)) {
            byte[] bytes = new byte[BUFFER];
            long left = piece.start();
            boolean lastWasEnd = true;
            while (left > 0) {
                int n = in.read(bytes, 0, (int) Math.min(bytes.length, left));
                if (n < 0) {
                    break;
                }
                for (int i = 0; i < n; i++) {
                    lastWasEnd = bytes[i] == '\n';
                    lines += lastWasEnd ? 1 : 0;
                }
                left -= n;
            }
            return lastWasEnd ? lines : lines + 1;
        } catch (IOException e) {
            throw Io.failure("read", piece.file().path(), e);
        }
    }

    @Override
    public void close() {
        try {
            in.close();
        } catch (IOException e) {
            throw Io.failure("close", piece.file().path(), e);
        }
    }
}
