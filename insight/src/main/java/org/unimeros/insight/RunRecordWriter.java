package org.unimeros.insight;

import com.fasterxml.jackson.core.JsonEncoding;
import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.nio.channels.Channels;
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
 * Writes the record of one run, as it goes on. A record that cannot be written is reported once and does not disturb the run. Used by
 * one thread.
 */
public final class RunRecordWriter implements RunListener, AutoCloseable {

    /** Of a process that is killed, so much is not in its record. */
    private static final long FLUSH_MILLIS = 500;

    private final Path path;
    private final Consumer<String> complain;
    private JsonGenerator out;
    private boolean broken;
    private long flushed;

    /**
     * @param path of the file, which is made with the first event
     * @param complain is told in one line when the record cannot be written
     */
    public RunRecordWriter(Path path, Consumer<String> complain) {
        this.path = path;
        this.complain = complain;
    }

    @Override
    public void happened(RunEvent event) {
        if (broken) {
            return;
        }
        try {
            open();
            RunEventJson.write(event, out);
            out.writeRaw('\n');
            boolean rare = event instanceof RunEvent.RunStarted || event instanceof RunEvent.RunEnded;
            if (rare || event.at() - flushed >= FLUSH_MILLIS) {
                flushed = event.at();
                out.flush();
            }
        } catch (IOException e) {
            broken = true;
            complain.accept("the run record " + path + " cannot be written: " + e);
        }
    }

    private void open() throws IOException {
        if (out == null) {
            Files.createDirectories(path.toAbsolutePath().getParent());
            out = new JsonFactory()
                    .createGenerator(
                            new BufferedOutputStream(Channels.newOutputStream(Files.newByteChannel(
                                    path,
                                    EnumSet.of(
                                            StandardOpenOption.CREATE,
                                            StandardOpenOption.WRITE,
                                            StandardOpenOption.TRUNCATE_EXISTING),
                                    ownerOnly(path)))),
                            JsonEncoding.UTF8);
            out.setPrettyPrinter(new MinimalPrettyPrinter(""));
        }
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
    public void close() {
        if (out != null) {
            try {
                out.close();
            } catch (IOException e) {
                complain.accept("the run record " + path + " cannot be completed: " + e);
            }
        }
    }
}
