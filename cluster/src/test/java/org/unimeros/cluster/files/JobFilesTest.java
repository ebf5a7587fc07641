package org.unimeros.cluster.files;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

class JobFilesTest {

    @TempDir
    Path folder;

    @Test
    void aFileIsKeptUnderItsHashOrNotAtAll() throws IOException {
        FileStore store = new FileStore(folder.resolve("store"));
        byte[] bytes = "postcodes".getBytes(StandardCharsets.UTF_8);
        Path original = Files.write(folder.resolve("original"), bytes);
        String hash = FileStore.hash(original);
        assertTrue(FileRef.isHash(hash));
        String other = hash.replace(hash.charAt(0), hash.charAt(0) == 'a' ? 'b' : 'a');
        assertThrows(ResourceFailure.class, () -> store.add(other, new ByteArrayInputStream(bytes), 1000));
        assertThrows(ResourceFailure.class, () -> store.add(hash, new ByteArrayInputStream(bytes), 3));
        assertTrue(store.find(hash).isEmpty());
        Path kept = store.add(hash, new ByteArrayInputStream(bytes), 1000);
        assertEquals(kept, store.find(hash).orElseThrow());
        assertTrue(store.find("../original").isEmpty());
        try (Stream<Path> all = Files.list(folder.resolve("store"))) {
            assertEquals(
                    List.of("in-use", hash).stream().sorted().toList(),
                    all.map(f -> f.getFileName().toString()).sorted().toList());
        }
        store.delete();
        assertFalse(Files.exists(folder.resolve("store")));
    }

    @Test
    void whatAProcessThatDiedHasLeftIsSweptAndNothingElse() throws IOException {
        byte[] bytes = {1, 2, 3};
        String hash = FileStore.hash(Files.write(folder.resolve("original"), bytes));
        FileStore used = new FileStore(folder.resolve("files-1"));
        used.add(hash, new ByteArrayInputStream(bytes), 10);
        Path dead = Files.createDirectories(folder.resolve("files-2"));
        Files.write(dead.resolve("in-use"), new byte[0]);
        Files.write(dead.resolve(hash), bytes);
        Path others = Files.createDirectories(folder.resolve("files-of-others"));
        FileStore.sweep(folder, "files-");
        assertTrue(used.find(hash).isPresent());
        assertFalse(Files.exists(dead));
        assertTrue(Files.exists(others));
        used.delete();
    }

    @Test
    void aFileThatChangesIsAnotherOne() throws IOException {
        JobPack.Known known = new JobPack.Known();
        Path zones = Files.writeString(folder.resolve("zones.txt"), "near");
        FileRef first = packed(known, zones);
        assertEquals(first, packed(known, zones));
        Files.writeString(zones, "near and far");
        FileRef changed = packed(known, zones);
        assertEquals(FileStore.hash(zones), changed.hash());
        assertFalse(first.hash().equals(changed.hash()));
    }

    private static FileRef packed(JobPack.Known known, Path file) {
        JobPack pack = new JobPack(known);
        pack.add("zones", file, FileRef.Role.FILE);
        return pack.refs().get(0);
    }

    @Test
    void nobodySendsAFileToAll() {
        FileTree tree = new FileTree();
        assertEquals(null, tree.source("x"));
        tree.has("x", "coordinator");
        Map<String, Integer> sent = new HashMap<>();
        for (int worker = 0; worker < 64; worker++) {
            sent.merge(tree.source("x"), 1, Integer::sum);
            tree.has("x", "worker " + worker);
        }
        assertTrue(sent.values().stream().allMatch(n -> n <= 2), sent.toString());
        tree.gone("coordinator");
        assertTrue(tree.source("x").startsWith("worker"));
    }

    @Test
    void anArchiveThatReachesOutsideIsRefused() throws IOException {
        Path bad = archive("../../outside.txt");
        FileRef ref = new FileRef("ab".repeat(32), "maps", Files.size(bad), FileRef.Role.ARCHIVE);
        UserMistake refused = assertThrows(UserMistake.class, () -> OpenFiles.unpacked(ref, bad));
        assertEquals("the archive maps has an entry outside of it, ../../outside.txt", refused.getMessage());
        Path none = Files.writeString(folder.resolve("none.zip"), "no archive");
        assertThrows(UserMistake.class, () -> OpenFiles.unpacked(ref, none));
        Path good = archive("north/map.txt");
        Path unpacked = OpenFiles.unpacked(ref, good);
        assertEquals("x", Files.readString(unpacked.resolve("north/map.txt")));
        assertEquals(unpacked, OpenFiles.unpacked(ref, good));
    }

    private Path archive(String entry) throws IOException {
        Path zip = folder.resolve("archive-" + entry.hashCode() + ".zip");
        try (ZipOutputStream out = new ZipOutputStream(Files.newOutputStream(zip))) {
            out.putNextEntry(new ZipEntry(entry));
            out.write('x');
            out.closeEntry();
        }
        return zip;
    }
}
