package org.unimeros.insight;

import java.io.IOException;
import java.io.RandomAccessFile;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.RunListener;

/** Reads a record while it is written. Used by one thread at a time. */
public final class RecordTail {

    /** Bytes that are read at a time; a longer line is read whole. */
    private static final int CHUNK = 4 << 20;

    private final Path path;
    private long place;
    private long lines;

    public RecordTail(Path path) {
        this.path = path;
    }

    /** How many lines were read so far. */
    public long lines() {
        return lines;
    }

    /**
     * Tells what has been written since it was asked last, up to the last line that is whole.
     *
     * @throws BadData when it is no record
     * @throws ResourceFailure when it cannot be read
     */
    public void more(RunListener listener) {
        try (RandomAccessFile file = new RandomAccessFile(path.toFile(), "r")) {
            long end = file.length();
            int length = CHUNK;
            while (place < end) {
                byte[] bytes = new byte[(int) Math.min(length, end - place)];
                file.seek(place);
                file.readFully(bytes);
                int whole = lastLine(bytes);
                if (whole > 0) {
                    tell(new String(bytes, 0, whole, StandardCharsets.UTF_8), listener);
                    place += whole;
                    length = CHUNK;
                } else if (place + bytes.length == end) {
                    return;
                } else {
                    length = Math.multiplyExact(2, length);
                }
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot read " + path + ": " + e.getMessage(), e);
        }
    }

    /** How many bytes there are up to the end of the last whole line. */
    private static int lastLine(byte[] bytes) {
        int end = bytes.length;
        while (end > 0 && bytes[end - 1] != '\n') {
            end--;
        }
        return end;
    }

    private void tell(String text, RunListener listener) {
        text.lines().forEach(line -> {
            lines++;
            RuntimeException wrong = RunRecord.Line.of(line).tell(listener);
            if (wrong != null) {
                throw new BadData(path + ":" + lines + ": not a line of a run record", wrong);
            }
        });
    }
}
