package org.unimeros.storage.divert;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.BadRecordKeeper;

/** Keeps records that could not be read in a file of their run, one per line. Used by one thread. */
public final class DivertedRecords implements BadRecordKeeper {

    private final Path file;

    /** The file is made with the first record. */
    public DivertedRecords(Path file) {
        this.file = file;
    }

    @Override
    public void keep(List<byte[]> records) {
        try {
            Files.createDirectories(file.toAbsolutePath().getParent());
            try (OutputStream out = Files.newOutputStream(file, StandardOpenOption.CREATE, StandardOpenOption.APPEND)) {
                for (byte[] bytes : records) {
                    out.write(bytes);
                    out.write('\n');
                }
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot keep bad records in " + file + ": " + e.getMessage(), e);
        }
    }

    @Override
    public String place() {
        return file.toString();
    }
}
