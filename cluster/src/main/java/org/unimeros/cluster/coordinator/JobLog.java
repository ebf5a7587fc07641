package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.io.OutputStream;
import java.io.RandomAccessFile;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.Json;
import org.unimeros.engine.error.ResourceFailure;

/**
 * What the main program of a job wrote, a JSON line each, in a file that is read by position. Lines are numbered as they come, so that
 * those that are sent again are kept once. Used by one thread at a time.
 */
final class JobLog {

    private static final Logger LOG = LoggerFactory.getLogger(JobLog.class);
    private static final long MOST_BYTES = 64L << 20;
    private static final int MOST_READ = 256 << 10;

    private final Path file;
    private long taken;
    private long bytes;

    /** The log of a job that may have one already; a line that a dying process left incomplete is as if it had never been. */
    JobLog(Path file) {
        this.file = file;
        if (!Files.exists(file)) {
            return;
        }
        try (FileChannel channel = FileChannel.open(file, StandardOpenOption.WRITE)) {
            byte[] all = Files.readAllBytes(file);
            for (int i = 0; i < all.length; i++) {
                if (all[i] == '\n') {
                    taken++;
                    bytes = i + 1;
                }
            }
            channel.truncate(bytes);
        } catch (IOException e) {
            throw new ResourceFailure("cannot read the log of a job, " + file + ": " + e.getMessage(), e);
        }
    }

    /** Takes lines of which the first has a number; those that it has are left out. */
    void append(long from, List<LogLine> lines) {
        long skip = Math.max(0, taken - from);
        if (skip >= lines.size()) {
            return;
        }
        List<LogLine> fresh = lines.subList((int) skip, lines.size());
        taken = from + lines.size();
        if (bytes >= MOST_BYTES) {
            return;
        }
        try (OutputStream out = Files.newOutputStream(file, StandardOpenOption.CREATE, StandardOpenOption.APPEND)) {
            for (LogLine line : fresh) {
                write(line, out);
                if (bytes >= MOST_BYTES) {
                    write(new LogLine(line.at(), true, "(the log is full; what follows is left out)"), out);
                    return;
                }
            }
        } catch (IOException e) {
            // The job goes on; its log is not what it is for.
            LOG.warn("cannot keep the log of a job in {}", file, e);
        }
    }

    private void write(LogLine line, OutputStream out) throws IOException {
        byte[] json = Json.write(line);
        byte[] whole = Arrays.copyOf(json, json.length + 1);
        whole[json.length] = '\n';
        out.write(whole);
        bytes += whole.length;
    }

    long bytes() {
        return bytes;
    }

    /** Whole lines from a position on, as many as fit into an answer; adds them, and returns the position behind them. */
    long read(long after, List<LogLine> to) {
        if (after >= bytes) {
            return Math.min(after, bytes);
        }
        byte[] piece = new byte[(int) Math.min(MOST_READ, bytes - after)];
        try (RandomAccessFile in = new RandomAccessFile(file.toFile(), "r")) {
            in.seek(after);
            in.readFully(piece);
        } catch (IOException e) {
            throw new ResourceFailure("cannot read the log of a job, " + file + ": " + e.getMessage(), e);
        }
        List<LogLine> lines = new ArrayList<>();
        int from = 0;
        for (int i = 0; i < piece.length; i++) {
            if (piece[i] == '\n') {
                lines.add(Json.read(Arrays.copyOfRange(piece, from, i), LogLine.class));
                from = i + 1;
            }
        }
        to.addAll(lines);
        return after + from;
    }
}
