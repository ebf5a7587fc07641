package org.unimeros.insight;

import com.fasterxml.jackson.core.JsonEncoding;
import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.Channels;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileAttribute;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.EnumSet;
import java.util.function.Consumer;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunEventJson;
import org.unimeros.engine.run.RunListener;

/**
 * Writes the record of one run, as it goes on: what has happened is in the file half a second later. While it is open the file counts as just written
 * even where nothing happens, so that others can tell a long task from a process that is gone ({@link RunFolder#isWritten}). A record that cannot be
 * written is reported once and does not disturb the run. Thread-safe.
 */
public final class RunRecordWriter implements RunListener, AutoCloseable {

    /** Of a process that is killed, so much is not in its record. */
    private static final long FLUSH_MILLIS = 500;

    private final Path path;
    private final Consumer<String> complain;
    private final boolean goesOn;
    private JsonGenerator out;
    private boolean broken;
    private boolean closed;

    /**
     * @param path of the file, which is made with the first event
     * @param complain is told in one line when the record cannot be written
     */
    public RunRecordWriter(Path path, Consumer<String> complain) {
        this(path, complain, false);
    }

    /** @param goesOn whether what comes is added to a record of an earlier process, whose last line may be cut */
    public RunRecordWriter(Path path, Consumer<String> complain, boolean goesOn) {
        this.goesOn = goesOn;
        this.path = path;
        this.complain = complain;
    }

    @Override
    public synchronized void happened(RunEvent event) {
        if (broken) {
            return;
        }
        try {
            open();
            RunEventJson.write(event, out);
            out.writeRaw('\n');
            if (event instanceof RunEvent.RunStarted || event instanceof RunEvent.RunEnded) {
                out.flush();
            }
        } catch (IOException e) {
            broken(e);
        }
    }

    private void open() throws IOException {
        if (out == null) {
            Files.createDirectories(path.toAbsolutePath().getParent());
            SeekableByteChannel file = Files.newByteChannel(
                    path,
                    EnumSet.of(StandardOpenOption.CREATE, StandardOpenOption.READ, StandardOpenOption.WRITE),
                    ownerOnly(path));
            file.truncate(goesOn ? endOfLines(file) : 0);
            file.position(file.size());
            out = new JsonFactory()
                    .createGenerator(new BufferedOutputStream(Channels.newOutputStream(file)), JsonEncoding.UTF8);
            out.setPrettyPrinter(new MinimalPrettyPrinter(""));
            Thread.ofVirtual().name("unimeros-record").start(this::flushAgainAndAgain);
        }
    }

    /** Behind the last line that is whole. */
    private static long endOfLines(SeekableByteChannel file) throws IOException {
        ByteBuffer one = ByteBuffer.allocate(1);
        for (long end = file.size(); end > 0; end--) {
            file.position(end - 1);
            if (file.read(one.clear()) == 1 && one.get(0) == '\n') {
                return end;
            }
        }
        return 0;
    }

    private void flushAgainAndAgain() {
        try {
            while (flushed()) {
                Thread.sleep(FLUSH_MILLIS);
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    /** Whether there is more to come. */
    private synchronized boolean flushed() {
        if (closed || broken) {
            return false;
        }
        try {
            out.flush();
        } catch (IOException e) {
            broken(e);
        }
        // Where it cannot be touched the record is as good; its run only seems to be gone while nothing happens.
        path.toFile().setLastModified(System.currentTimeMillis());
        return true;
    }

    private void broken(IOException e) {
        broken = true;
        complain.accept("the run record " + path + " cannot be written: " + e);
    }

    /** A record tells of the rows of a job, which not everybody on the machine may see. */
    private static FileAttribute<?>[] ownerOnly(Path path) {
        boolean hasOwners = path.getFileSystem().supportedFileAttributeViews().contains("posix");
        return hasOwners
                ? new FileAttribute<?>[] {
                    PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------"))
                }
                : new FileAttribute<?>[0];
    }

    @Override
    public synchronized void close() {
        closed = true;
        if (out != null) {
            try {
                out.close();
            } catch (IOException e) {
                complain.accept("the run record " + path + " cannot be completed: " + e);
            }
        }
    }
}
