package org.unimeros.storage.store;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.TreeSet;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** What every store must hold, by the words of {@link Store}. */
class StoreContractTest {

    /** The stores there are; a new one is a line here. */
    enum Kind {
        LOCAL {
            @Override
            StorePath place(Path temp) {
                return StorePath.of(temp);
            }
        },
        BEHIND_A_FILTER {
            @Override
            StorePath place(Path temp) {
                return new StorePath(
                        new FilterStore(LocalStore.INSTANCE), StorePath.of(temp).path());
            }
        };

        /** An empty folder. */
        abstract StorePath place(Path temp);
    }

    @TempDir
    private Path temp;

    private static void write(StorePath path, byte[] bytes) throws IOException {
        try (OutputStream out = path.create()) {
            out.write(bytes);
        }
    }

    private static byte[] text(String text) {
        return text.getBytes(UTF_8);
    }

    private static List<String> list(StorePath folder) throws IOException {
        TreeSet<String> found = new TreeSet<>();
        folder.store()
                .list(
                        folder.path(),
                        below -> true,
                        file -> found.add(folder.relative(file.path()).orElseThrow() + " " + file.bytes()));
        return List.copyOf(found);
    }

    @ParameterizedTest
    @EnumSource
    void whatWasCreatedIsListedFoundAndRead(Kind kind) throws IOException {
        StorePath place = kind.place(temp);
        byte[] scans = new byte[700_000];
        new Random(7).nextBytes(scans);
        write(place.resolve("day=2031-03-04/a scan %41.bin"), scans);
        write(place.resolve("depots.csv"), text("D1,Nord\n"));
        assertEquals(List.of("day=2031-03-04/a scan %41.bin 700000", "depots.csv 8"), list(place));
        assertEquals(
                new TreeSet<>(List.of("day=2031-03-04", "depots.csv")),
                new TreeSet<>(place.store().children(place.path())));
        StoredFile found = place.resolve("depots.csv").find().orElseThrow();
        assertEquals(8, found.bytes());
        assertTrue(found.modifiedMillis() > 0);
        assertTrue(place.resolve("day=2031-03-04").exists());
        assertTrue(place.resolve("day=2031-03-04").find().isEmpty(), "a folder is no file");
        assertFalse(place.store().isFolder(place.resolve("depots.csv").path()));
        try (InputStream in = place.resolve("day=2031-03-04/a scan %41.bin").stream()) {
            assertArrayEquals(scans, in.readAllBytes());
        }
        write(place.resolve("depots.csv"), text("D2\n"));
        assertEquals(3, place.resolve("depots.csv").find().orElseThrow().bytes(), "created anew");
    }

    @ParameterizedTest
    @EnumSource
    void rangesAreReadAnywhere(Kind kind) throws IOException {
        StorePath file = kind.place(temp).resolve("scans.bin");
        byte[] all = new byte[600_000];
        new Random(8).nextBytes(all);
        write(file, all);
        try (ReadableFile open = file.open()) {
            for (int[] range : new int[][] {{0, 1}, {599_999, 1}, {17, 4_000}, {1, 599_000}, {300, 0}}) {
                ByteBuffer bytes = open.range(range[0], range[1]);
                byte[] got = new byte[bytes.remaining()];
                bytes.get(got);
                assertArrayEquals(Arrays.copyOfRange(all, range[0], range[0] + range[1]), got);
            }
            ByteBuffer rest = ByteBuffer.allocate(100);
            assertEquals(10, open.read(rest, 599_990));
            assertEquals(-1, open.read(rest, 600_000));
            assertThrows(EOFException.class, () -> open.range(599_990, 11));
            assertThrows(EOFException.class, () -> open.range(0, 600_001));
        }
        try (InputStream in = file.open().from(599_000)) {
            assertArrayEquals(Arrays.copyOfRange(all, 599_000, 600_000), in.readAllBytes());
            assertEquals(-1, in.read());
        }
    }

    @ParameterizedTest
    @EnumSource
    void whatIsNotThereIsSaid(Kind kind) throws IOException {
        StorePath none = kind.place(temp).resolve("none/file");
        assertThrows(NoSuchFileException.class, none::open);
        assertThrows(
                NoSuchFileException.class,
                () -> none.store().move(none.path(), none.sibling("other").path()));
        assertTrue(none.find().isEmpty());
        assertTrue(none.read().isEmpty());
        assertFalse(none.exists());
        assertEquals(List.of(), list(none));
        assertEquals(List.of(), none.store().children(none.path()));
        none.store().delete(none.path());
        none.store().deleteFolder(none.path());
        assertTrue(none.store().deleteIfEmpty(none.path()));
        StorePath file = kind.place(temp).resolve("depots.csv");
        write(file, text("D1\n"));
        for (String below : List.of("x", "day=1/x")) {
            assertTrue(file.resolve(below).find().isEmpty(), "a file has no files below it");
            assertTrue(file.resolve(below).read().isEmpty());
            assertFalse(file.resolve(below).exists());
            assertEquals(List.of(), file.store().children(file.resolve(below).path()));
        }
    }

    @ParameterizedTest
    @EnumSource
    void foldersThatNobodyAsksForAreNotLookedInto(Kind kind) throws IOException {
        StorePath place = kind.place(temp);
        for (String path : List.of("day=a/hour=1/x", "day=a/hour=2/x", "day=b/hour=1/x", "x")) {
            write(place.resolve(path), text(path));
        }
        List<String> asked = new ArrayList<>();
        TreeSet<String> found = new TreeSet<>();
        place.store()
                .list(
                        place.path(),
                        below -> {
                            asked.add(below);
                            return !below.equals("day=b") && !below.equals("day=a/hour=2");
                        },
                        file -> found.add(place.relative(file.path()).orElseThrow()));
        assertEquals(List.of("day=a/hour=1/x", "x"), List.copyOf(found));
        assertFalse(asked.contains("day=b/hour=1"));
    }

    @ParameterizedTest
    @EnumSource
    void aMovedFileIsUnderItsNewPathOnly(Kind kind) throws IOException {
        StorePath place = kind.place(temp);
        write(place.resolve("a"), text("new"));
        write(place.resolve("day=1/b"), text("old one"));
        place.store().move(place.resolve("a").path(), place.resolve("day=1/b").path());
        place.store()
                .move(
                        place.resolve("day=1/b").path(),
                        place.resolve("day=2/hour=3/c").path());
        assertEquals(List.of("day=2/hour=3/c 3"), list(place));
    }

    @ParameterizedTest
    @EnumSource
    void foldersAreDeletedWithAllInThemOrOnlyWhenEmpty(Kind kind) throws IOException {
        StorePath place = kind.place(temp);
        write(place.resolve("keep/x"), text("x"));
        write(place.resolve("drop/day=1/x"), text("x"));
        write(place.resolve("drop/y"), text("y"));
        assertFalse(place.store().deleteIfEmpty(place.resolve("keep").path()));
        place.store().deleteFolder(place.resolve("drop").path());
        assertEquals(List.of("keep/x 1"), list(place));
        place.store().delete(place.resolve("keep/x").path());
        assertTrue(place.store().deleteIfEmpty(place.resolve("keep").path()));
        assertFalse(place.resolve("keep").exists());
        place.store().makeFolder(place.resolve("made").path());
        place.store().makeFolder(place.resolve("made").path());
        assertEquals(List.of(), list(place));
    }

    @ParameterizedTest
    @EnumSource
    void smallFilesAreReplacedOnlyByWhoHasSeenThem(Kind kind) throws IOException {
        StorePath file = kind.place(temp).resolve("own/generation");
        Store store = file.store();
        assertTrue(store.publish(file.path(), text("r1"), Optional.empty()));
        assertFalse(store.publish(file.path(), text("r2"), Optional.empty()), "it is there already");
        Store.Content first = file.read().orElseThrow();
        assertEquals("r1", new String(first.bytes(), UTF_8));
        assertTrue(store.publish(file.path(), text("r2"), Optional.of(first.version())));
        assertFalse(store.publish(file.path(), text("r3"), Optional.of(first.version())), "it was changed");
        assertEquals("r2", new String(file.read().orElseThrow().bytes(), UTF_8));
        file.replace(text("r4"));
        assertEquals("r4", new String(file.read().orElseThrow().bytes(), UTF_8));
        store.delete(file.path());
        assertFalse(store.publish(file.path(), text("r5"), Optional.of(first.version())), "it is gone");
        assertTrue(file.read().isEmpty());
    }

    /** Many count in one file, and no count is lost. */
    @ParameterizedTest
    @EnumSource
    void ofManyWhoPublishAtOnceOneSucceeds(Kind kind) throws Exception {
        StorePath file = kind.place(temp).resolve("count");
        int each = 25;
        Callable<Integer> counting = () -> {
            int refused = 0;
            for (int done = 0; done < each; ) {
                Optional<Store.Content> seen = file.read();
                int count = seen.map(c -> Integer.parseInt(new String(c.bytes(), UTF_8)))
                        .orElse(0);
                boolean isDone = file.store()
                        .publish(file.path(), text(Integer.toString(count + 1)), seen.map(Store.Content::version));
                done += isDone ? 1 : 0;
                refused += isDone ? 0 : 1;
            }
            return refused;
        };
        try (ExecutorService threads = Executors.newFixedThreadPool(4)) {
            for (Future<Integer> done : threads.invokeAll(List.of(counting, counting, counting, counting))) {
                assertTrue(done.get() >= 0);
            }
        }
        assertEquals("100", new String(file.read().orElseThrow().bytes(), UTF_8));
    }

    @ParameterizedTest
    @EnumSource
    void aLockIsHeldByOne(Kind kind) throws Exception {
        StorePath file = kind.place(temp).resolve("own/publish.lock");
        Store store = file.store();
        StoreLock held = store.tryLock(file.path()).orElseThrow();
        assertTrue(store.tryLock(file.path()).isEmpty());
        AtomicInteger order = new AtomicInteger();
        CountDownLatch waits = new CountDownLatch(1);
        try (ExecutorService thread = Executors.newSingleThreadExecutor()) {
            Future<Integer> second = thread.submit(() -> {
                waits.countDown();
                StoreLock lock = store.lock(file.path());
                int place = order.incrementAndGet();
                lock.remove();
                return place;
            });
            assertTrue(waits.await(1, TimeUnit.MINUTES));
            assertEquals(1, order.incrementAndGet());
            held.close();
            held.close();
            assertEquals(2, second.get(1, TimeUnit.MINUTES));
        }
        assertTrue(file.find().isEmpty(), "the lock was given up for good");
        store.tryLock(file.path()).orElseThrow().close();
    }

    @ParameterizedTest
    @EnumSource
    void pathsAreTakenApartAndPutTogether(Kind kind) {
        StorePath place = kind.place(temp);
        StorePath file = place.resolve("day=1/x.csv");
        assertEquals("x.csv", file.name());
        assertEquals(place.resolve("day=1"), file.parent().orElseThrow());
        assertEquals(place.resolve("day=1/y"), file.sibling("y"));
        assertEquals(Optional.of("day=1/x.csv"), place.relative(file.path()));
        assertEquals(Optional.empty(), file.relative(place.path()));
        assertEquals(Optional.empty(), place.resolve("day").relative(file.path()));
        StorePath bare = new StorePath(place.store(), "x");
        assertEquals("", bare.parent().orElseThrow().path());
        assertEquals(bare, bare.parent().orElseThrow().resolve("x"));
        assertEquals(Optional.empty(), bare.parent().orElseThrow().parent());
        assertEquals(Optional.of("x"), bare.parent().orElseThrow().relative("x"));
    }
}
