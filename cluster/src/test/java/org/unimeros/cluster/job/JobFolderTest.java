package org.unimeros.cluster.job;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.engine.error.ResourceFailure;

/** How the files of a job lie before its main program, and how what it says is cut into lines. */
class JobFolderTest {

    @TempDir
    Path root;

    private Path kept(String hash, String text) throws IOException {
        Files.createDirectories(root.resolve("kept"));
        return Files.writeString(root.resolve("kept").resolve(hash), text);
    }

    private static JobRequest job(String folder, FileRef... files) {
        return new JobRequest("j", "totals", "network.Totals", List.of(), List.of(files), Map.of(), folder, 0, true);
    }

    @Test
    void filesLieThereByTheirNamesAndGoWithTheFolder() throws IOException {
        kept("aa", "north");
        kept("bb", "a jar");
        FileRef zones = new FileRef("aa", "zones.txt", 5, FileRef.Role.FILE);
        FileRef jar = new FileRef("bb", "network jobs.jar", 5, FileRef.Role.CODE);
        Path place = root.resolve("job");
        try (JobFolder folder = new JobFolder(
                place,
                job(root.toString(), zones, jar),
                ref -> root.resolve("kept").resolve(ref.hash()))) {
            assertEquals("north", Files.readString(Path.of(folder.resolve("{attached:zones.txt}"))));
            assertEquals(
                    "x=" + place.resolve("attached/file/zones.txt") + ",y={other}",
                    folder.resolve("x={attached:zones.txt},y={other}"));
            assertEquals(
                    List.of("network jobs.jar"),
                    folder.jars().stream().map(p -> p.getFileName().toString()).toList());
            assertEquals(root, folder.work(), "the folder that the job asks for is there");
            ResourceFailure unknown =
                    assertThrows(ResourceFailure.class, () -> folder.resolve("{attached:nothing.txt}"));
            assertTrue(unknown.getMessage().contains("zones.txt"), "what there is: " + unknown.getMessage());
        }
        assertFalse(Files.exists(place));
        assertEquals("north", Files.readString(root.resolve("kept/aa")), "what links lead to stays");
    }

    @Test
    void aJobWhoseFolderIsNotThereWorksInOneOfItsOwn() throws IOException {
        for (String wanted : new String[] {null, "/no/such/folder", "relative"}) {
            try (JobFolder folder = new JobFolder(root.resolve("job"), job(wanted), ref -> null)) {
                assertEquals(root.resolve("job/work"), folder.work());
                Files.writeString(folder.work().resolve("left"), "behind");
            }
            assertFalse(Files.exists(root.resolve("job")), "with all that was written to it");
        }
    }

    @Test
    void whatCannotBeLaidOutLeavesNothing() {
        FileRef gone = new FileRef("cc", "zones.txt", 5, FileRef.Role.FILE);
        assertThrows(
                ResourceFailure.class,
                () -> new JobFolder(root.resolve("job"), job(null, gone), ref -> {
                    throw new ResourceFailure("the file is gone");
                }));
        FileRef twice = new FileRef("dd", "zones.txt", 5, FileRef.Role.FILE);
        assertThrows(
                ResourceFailure.class,
                () -> new JobFolder(root.resolve("job"), job(null, twice, gone), ref -> root.resolve(ref.hash())),
                "two of one name");
        assertFalse(Files.exists(root.resolve("job")));
    }

    private static List<String> lines(String text) throws IOException {
        List<String> lines = new ArrayList<>();
        Lines.each(new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)), lines::add);
        return lines;
    }

    @Test
    void textIsCutIntoLinesAndVeryLongOnesIntoPieces() throws IOException {
        assertEquals(List.of("one", "", "zwölf", "end"), lines("one\n\nzwölf\nend"));
        assertEquals(List.of(), lines(""));
        String parcels = "parcel ".repeat(10_000);
        List<String> pieces = lines(parcels + "\nshort\n");
        assertTrue(pieces.size() > 3, pieces.size() + " pieces");
        assertEquals(parcels + "short", String.join("", pieces));
        assertEquals("UNIMEROS_SPLIT_TARGET", MainProcess.variable("split.target"));
        assertEquals("UNIMEROS_JOIN_COPY_LIMIT", MainProcess.variable("join.copy-limit"));
    }
}
