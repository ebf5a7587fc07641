package org.unimeros.storage;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.storage.scratch.ScratchFolder;

class ScratchFolderTest {

    @TempDir
    Path root;

    private long files(Path folder) throws IOException {
        try (Stream<Path> all = Files.list(folder)) {
            return all.count();
        }
    }

    @Test
    void whatIsWrittenIsReadBackAndNothingIsLeftBehind() throws IOException {
        Path folder = root.resolve("a/b");
        try (Scratch.File file = new ScratchFolder(folder).create()) {
            assertEquals(0, file.append(new byte[] {1, 2, 3}, 3));
            assertEquals(3, file.append(new byte[] {4, 5, 6}, 2));
            byte[] back = new byte[2];
            file.read(2, back, 2);
            assertArrayEquals(new byte[] {3, 4}, back);
            ResourceFailure behind = assertThrows(ResourceFailure.class, () -> file.read(4, new byte[5], 5));
            assertTrue(behind.getMessage().contains("shorter than what was written"), behind.getMessage());
            if (!System.getProperty("os.name").startsWith("Windows")) {
                assertEquals(0, files(folder), "a killed process must leave no file");
            }
        }
        assertEquals(0, files(folder));
    }

    @Test
    void aFolderThatCannotBeMadeIsNamedWithTheSetting() throws IOException {
        Path file = Files.writeString(root.resolve("file"), "x");
        ResourceFailure failure =
                assertThrows(ResourceFailure.class, () -> new ScratchFolder(file.resolve("inside")).create());
        assertTrue(failure.getMessage().contains("memory.scratch"), failure.getMessage());
    }
}
