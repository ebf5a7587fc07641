package org.unimeros.insight;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.UUID;
import org.unimeros.engine.error.ResourceFailure;

/** Files for people, which are there whole or not at all. */
public final class WholeFile {

    private WholeFile() {}

    /**
     * Writes a file, over what is there.
     *
     * @throws ResourceFailure when that is not possible; what was there stays then
     */
    public static void write(Path file, byte[] content) {
        write(file, content, folder -> folder.resolve(".unfinished-" + UUID.randomUUID()));
    }

    /** The same for what not everybody on the machine may see. */
    public static void writeForOwner(Path file, byte[] content) {
        write(file, content, folder -> Files.createTempFile(folder, ".unfinished", ""));
    }

    private interface Place {
        Path in(Path folder) throws IOException;
    }

    private static void write(Path file, byte[] content, Place place) {
        if (Files.isDirectory(file)) {
            throw new ResourceFailure("cannot write " + file + ": it is a folder; name a file in it");
        }
        try {
            Path folder = file.toAbsolutePath().getParent();
            Files.createDirectories(folder);
            Path unfinished = place.in(folder);
            try {
                Files.write(unfinished, content);
                Files.move(unfinished, file, StandardCopyOption.REPLACE_EXISTING);
            } finally {
                Files.deleteIfExists(unfinished);
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot write " + file + ": " + e, e);
        }
    }
}
