package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.source.TableSink.TaskWriter;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.LocalStore;
import org.unimeros.storage.store.StorePath;

class DatasetSinkTest {

    private static final Schema SCHEMA = Schema.of(Field.of("x", DataType.INT), Field.of("day", DataType.TEXT));

    @TempDir
    Path root;

    private DatasetSink sink(WriteMode mode, String run) {
        WriteSpec spec = new WriteSpec(
                StorePath.of(root.resolve("d")),
                new Formats().byName("csv"),
                FormatOptions.DEFAULTS,
                List.of("day"),
                mode);
        return new DatasetSink(spec, SCHEMA, run);
    }

    private static Batch rows(Object... xAndDay) {
        BatchBuilder builder = new BatchBuilder(SCHEMA);
        for (int i = 0; i < xAndDay.length; i += 2) {
            Values.append(builder.column(0), xAndDay[i]);
            Values.append(builder.column(1), xAndDay[i + 1]);
            builder.endRow();
        }
        return builder.build();
    }

    private static TaskOutput write(DatasetSink sink, int task, Batch batch) {
        sink.begin();
        TaskWriter writer = sink.open(task, 0, TaskScope.NONE);
        writer.write(batch);
        return writer.finish();
    }

    private static TaskOutput finished(TaskWriter writer, Object... xAndDay) {
        writer.write(rows(xAndDay));
        return writer.finish();
    }

    private void publish(WriteMode mode, String run, Object... xAndDay) {
        DatasetSink sink = sink(mode, run);
        sink.publish(List.of(write(sink, 0, rows(xAndDay))));
    }

    /** The values of x by partition folder, as a reader sees them now. */
    private Map<String, List<String>> seen() throws IOException {
        DatasetFolder folder = new DatasetFolder(StorePath.of(root.resolve("d")));
        Map<String, List<String>> seen = new TreeMap<>();
        for (DataFile file : folder.list()) {
            String path = folder.relative(file);
            List<String> lines = Files.readAllLines(Path.of(file.toString()));
            seen.computeIfAbsent(path.substring(0, path.indexOf('/')), k -> new ArrayList<>())
                    .addAll(lines.subList(1, lines.size()));
        }
        return seen;
    }

    private List<String> leftBehind() throws IOException {
        try (Stream<Path> all = Files.walk(root.resolve("d"))) {
            return all.filter(Files::isRegularFile)
                    .map(p -> root.resolve("d").relativize(p).toString())
                    .filter(p -> p.startsWith("_unimeros")
                            && !p.matches("_unimeros/(publish.lock|generation|published|\\.changing)"))
                    .filter(p -> !p.startsWith("_unimeros/replaced/"))
                    .toList();
        }
    }

    @Test
    void appendingAddsAndReplacingPartitionsTouchesNoOthers() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a", 2, "b");
        publish(WriteMode.APPEND, "r2", 3, "a");
        assertEquals(Map.of("day=a", List.of("1", "3"), "day=b", List.of("2")), seen());
        publish(WriteMode.REPLACE_PARTITIONS, "r3", 9, "a", 8, "c");
        assertEquals(Map.of("day=a", List.of("9"), "day=b", List.of("2"), "day=c", List.of("8")), seen());
        publish(WriteMode.REPLACE, "r4", 7, null);
        assertEquals(Map.of("day=__null__", List.of("7")), seen());
        assertFalse(Files.exists(root.resolve("d/day=a")), "an empty partition folder was left");
        assertEquals(List.of(), leftBehind());
    }

    @Test
    void morePartitionsThanFilesThatMayBeOpenAllGetTheirRows() throws IOException {
        DatasetSink sink = sink(WriteMode.FAIL, "r1");
        TaskWriter writer = sink.open(0, 0, TaskScope.NONE);
        Map<String, List<String>> expected = new TreeMap<>();
        int partitions = 1_500;
        for (int round = 0; round < 3; round++) {
            Object[] batch = new Object[2 * partitions];
            for (int i = 0; i < partitions; i++) {
                // Every round goes through the partitions in another order.
                int partition = i * (round + 1) * 7 % partitions;
                int x = round * partitions + i;
                batch[2 * i] = x;
                batch[2 * i + 1] = partition == 5 ? null : "d" + partition;
                expected.computeIfAbsent(
                                "day=" + (partition == 5 ? "__null__" : "d" + partition), k -> new ArrayList<>())
                        .add(String.valueOf(x));
            }
            writer.write(rows(batch));
        }
        sink.publish(List.of(writer.finish()));
        assertEquals(expected, seen(), "rows of a partition keep their order");
        assertEquals(List.of(), leftBehind());
        assertEquals(
                partitions,
                new DatasetFolder(StorePath.of(root.resolve("d"))).list().size(),
                "a file for each partition");
    }

    /** With few files at once, rows are put aside again and again. */
    @Test
    void rowsThatArePutAsideSeveralTimesAllArrive() throws IOException {
        WriteSpec spec = new WriteSpec(
                StorePath.of(root.resolve("d")),
                new Formats().byName("csv"),
                FormatOptions.DEFAULTS,
                List.of("day"),
                WriteMode.FAIL);
        Path staging = Files.createDirectories(root.resolve("s"));
        PartitionedWriter writer = new PartitionedWriter(
                StorePath.of(staging), "p", spec, SCHEMA, new int[] {1}, new int[] {0}, TaskScope.NONE, 5, 3);
        Map<String, List<String>> expected = new TreeMap<>();
        for (int i = 0; i < 900; i++) {
            String day = "d" + i * 7 % 200;
            writer.write(rows(i, day));
            expected.computeIfAbsent("day=" + day, k -> new ArrayList<>()).add(String.valueOf(i));
        }
        TaskOutput output = writer.finish();
        assertEquals(900, output.rows());
        assertEquals(200, output.files().size());
        Map<String, List<String>> written = new TreeMap<>();
        for (String file : output.files()) {
            List<String> lines = Files.readAllLines(staging.resolve(file));
            written.put(file.substring(0, file.indexOf('/')), lines.subList(1, lines.size()));
        }
        assertEquals(expected, written);
        try (Stream<Path> left = Files.list(staging.resolve("aside"))) {
            assertEquals(0, left.count());
        }
    }

    @Test
    void aTaskThatIsGivenUpWithRowsPutAsideLeavesNothing() throws IOException {
        DatasetSink sink = sink(WriteMode.FAIL, "r1");
        sink.begin();
        TaskWriter writer = sink.open(0, 0, TaskScope.NONE);
        Object[] batch = new Object[2 * 2_000];
        for (int i = 0; i < 2_000; i++) {
            batch[2 * i] = i;
            batch[2 * i + 1] = "d" + i;
        }
        writer.write(rows(batch));
        writer.abort();
        sink.abandon();
        assertEquals(List.of(), leftBehind());
    }

    @Test
    void dataThatIsThereIsAnErrorUnlessSaidOtherwise() {
        publish(WriteMode.FAIL, "r1", 1, "a");
        UserMistake e = assertThrows(UserMistake.class, () -> sink(WriteMode.FAIL, "r2"));
        assertTrue(e.getMessage().contains("there is data in"), e.getMessage());
    }

    @Test
    void anAbandonedRunLeavesNothing() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        DatasetSink sink = sink(WriteMode.REPLACE, "r2");
        write(sink, 0, rows(5, "a"));
        sink.open(1, 0, TaskScope.NONE).write(rows(6, "b"));
        assertEquals(Map.of("day=a", List.of("1")), seen());
        sink.abandon();
        sink.abandon();
        assertEquals(Map.of("day=a", List.of("1")), seen());
        assertEquals(List.of(), leftBehind());
    }

    @Test
    void onlyTheNamedOutputsArePublished() throws IOException {
        DatasetSink sink = sink(WriteMode.FAIL, "r1");
        write(sink, 0, rows(1, "a"));
        TaskOutput second = write(sink, 1, rows(2, "b"));
        sink.publish(List.of(second));
        assertEquals(Map.of("day=b", List.of("2")), seen());
        assertEquals(List.of(), leftBehind());
    }

    /** A process that dies between the record of a publication and any of its moves. */
    @Test
    void aPublicationThatWasRecordedIsSeenAsDoneAndCompletedByTheNextWriter() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a", 2, "b", 3, "c");
        Map<String, List<String>> after = Map.of("day=a", List.of("10"), "day=b", List.of("20"), "day=c", List.of("3"));
        for (int moved = 0; moved <= 2; moved++) {
            for (int deleted = 0; deleted <= 2; deleted++) {
                crashWhilePublishing(moved, deleted);
                assertEquals(after, seen(), "a reader, " + moved + " moved, " + deleted + " deleted");
                new DatasetFolder(StorePath.of(root.resolve("d"))).completeLeftovers();
                assertEquals(after, seen(), "after completion");
                assertEquals(List.of(), leftBehind());
                publish(WriteMode.REPLACE, "again" + moved + deleted, 1, "a", 2, "b", 3, "c");
            }
        }
    }

    private void crashWhilePublishing(int moved, int deleted) throws IOException {
        Path d = root.resolve("d");
        Path staged = Files.createDirectories(d.resolve("_unimeros/staging/dead"));
        Files.createDirectories(staged.resolve("day=a"));
        Files.createDirectories(staged.resolve("day=b"));
        Files.writeString(staged.resolve("day=a/dead-0.csv"), "x\n10\n");
        Files.writeString(staged.resolve("day=b/dead-0.csv"), "x\n20\n");
        DatasetFolder folder = new DatasetFolder(StorePath.of(d));
        List<String> removed = folder.list().stream()
                .map(folder::relative)
                .filter(p -> !p.startsWith("day=c"))
                .toList();
        List<String> added = List.of("day=a/dead-0.csv", "day=b/dead-0.csv");
        Files.write(d.resolve("_unimeros/publication.json"), new Publication("dead", added, removed).text());
        for (String path : removed.subList(0, deleted)) {
            Files.delete(d.resolve(path));
        }
        for (String path : added.subList(0, moved)) {
            Files.move(staged.resolve(path), d.resolve(path));
        }
    }

    /** Other processes write tasks of the run, and the one that publishes it can start again at any moment. */
    @Test
    void aPublisherThatStartsAgainGoesOnWithWhatIsThere() throws IOException {
        TaskOutput a = finished(sink(WriteMode.FAIL, "r1").open(0, 0, TaskScope.NONE), 1, "a");
        // Nobody holds the lock now, as after the death of the process that held it.
        DatasetSink after = sink(WriteMode.FAIL, "r1");
        after.begin();
        TaskOutput b = finished(sink(WriteMode.FAIL, "r1").open(1, 0, TaskScope.NONE), 2, "b");
        after.publish(List.of(a, b));
        assertEquals(Map.of("day=a", List.of("1"), "day=b", List.of("2")), seen());
        DatasetSink again = new DatasetSink(
                new WriteSpec(
                        StorePath.of(root.resolve("d")),
                        new Formats().byName("csv"),
                        FormatOptions.DEFAULTS,
                        List.of("day"),
                        WriteMode.APPEND),
                SCHEMA,
                "r1");
        again.publish(List.of(a, b));
        assertEquals(Map.of("day=a", List.of("1"), "day=b", List.of("2")), seen());
        assertEquals(List.of(), leftBehind());
    }

    @Test
    void stagingOfADeadProcessIsRemovedByTheNextWriter() throws IOException {
        Path dead = Files.createDirectories(root.resolve("d/_unimeros/staging/dead/day=a"));
        Files.writeString(dead.resolve("x.csv"), "x\n1\n");
        publish(WriteMode.FAIL, "r1", 2, "b");
        assertEquals(Map.of("day=b", List.of("2")), seen());
        assertEquals(List.of(), leftBehind());
    }

    /** A process can die when it has made its lock and not its folder, or the other way round when it ends. */
    @Test
    void aLockThatADeadProcessLeftAloneIsRemovedByTheNextWriter() throws IOException {
        Path alone =
                Files.createDirectories(root.resolve("d/_unimeros/staging")).resolve("dead.lock");
        Files.createFile(alone);
        publish(WriteMode.APPEND, "r1", 1, "a");
        assertFalse(Files.exists(alone));
    }

    /** A run that begins looks at the locks of others, and must not drop one that its own process holds. */
    @Test
    void whatOtherProcessesSeeOfARunStaysLockedWhenAnotherOneBegins() throws Exception {
        DatasetFolder folder = new DatasetFolder(StorePath.of(root.resolve("d")));
        StagingAreas.StagingArea first = folder.begin("r1");
        StagingAreas.StagingArea second = folder.begin("r2");
        Path lockFile = root.resolve("d/_unimeros/staging/r1.lock");
        assertEquals("locked", seenByAnotherProcess(lockFile));
        second.release(false);
        assertEquals("locked", seenByAnotherProcess(lockFile));
        first.release(false);
        assertFalse(Files.exists(lockFile));
    }

    private String seenByAnotherProcess(Path lockFile) throws Exception {
        Path program = root.resolve("Probe.java");
        Files.writeString(program, """
                import java.nio.channels.FileChannel;
                import java.nio.file.Path;
                import java.nio.file.StandardOpenOption;

                class Probe {
                    public static void main(String[] args) throws Exception {
                        try (FileChannel file = FileChannel.open(Path.of(args[0]), StandardOpenOption.WRITE)) {
                            System.out.print(file.tryLock() == null ? "locked" : "free");
                        }
                    }
                }
                """);
        String java = Path.of(System.getProperty("java.home"), "bin", "java").toString();
        Process process = new ProcessBuilder(java, program.toString(), lockFile.toString())
                .redirectError(ProcessBuilder.Redirect.INHERIT)
                .start();
        return new String(process.getInputStream().readAllBytes(), UTF_8);
    }

    @Test
    void twoRunsAtATimeDoNotDisturbEachOther() throws IOException {
        DatasetSink first = sink(WriteMode.APPEND, "r1");
        DatasetSink second = sink(WriteMode.APPEND, "r2");
        TaskOutput a = write(first, 0, rows(1, "a"));
        TaskOutput b = write(second, 0, rows(2, "a"));
        second.publish(List.of(b));
        first.publish(List.of(a));
        assertEquals(Map.of("day=a", List.of("1", "2")), seen());
    }

    @Test
    void theSecondOfTwoFirstRunsIsTold() {
        DatasetSink first = sink(WriteMode.FAIL, "r1");
        DatasetSink second = sink(WriteMode.FAIL, "r2");
        TaskOutput a = write(first, 0, rows(1, "a"));
        TaskOutput b = write(second, 0, rows(2, "a"));
        first.publish(List.of(a));
        UserMistake e = assertThrows(UserMistake.class, () -> second.publish(List.of(b)));
        assertTrue(e.getMessage().contains("another run has written"), e.getMessage());
        second.abandon();
    }

    @Test
    void whoeverPublishesCompletesFirstWhatADeadProcessRecordedMeanwhile() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a", 2, "b", 3, "c");
        DatasetSink sink = sink(WriteMode.APPEND, "r2");
        TaskOutput output = write(sink, 0, rows(30, "c"));
        crashWhilePublishing(1, 1);
        sink.publish(List.of(output));
        assertEquals(Map.of("day=a", List.of("10"), "day=b", List.of("20"), "day=c", List.of("3", "30")), seen());
    }

    /** Something is in the way of a file that is to be moved in, so that a recorded publication stops in the middle. */
    @Test
    void aPublicationThatStopsInTheMiddleIsCompletedLater() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a", 2, "b");
        Path obstacle = Files.createDirectories(root.resolve("d/day=b/r2-00000-0-1.csv/inside"));
        DatasetSink sink = sink(WriteMode.REPLACE, "r2");
        TaskOutput output = write(sink, 0, rows(10, "a", 20, "b"));
        assertThrows(ResourceFailure.class, () -> sink.publish(List.of(output)));
        sink.abandon();
        Files.delete(obstacle);
        Files.delete(obstacle.getParent());
        Map<String, List<String>> after = Map.of("day=a", List.of("10"), "day=b", List.of("20"));
        assertEquals(after, seen());
        new DatasetFolder(StorePath.of(root.resolve("d"))).completeLeftovers();
        assertEquals(after, seen());
        assertEquals(List.of(), leftBehind());
    }

    @Test
    void aBrokenRecordIsNeitherFollowedNorDeleted() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        Path record = root.resolve("d/_unimeros/publication.json");
        Files.writeString(record, "{\"run\": \"x\", \"added\": [");
        BadData e = assertThrows(BadData.class, this::seen);
        assertTrue(e.getMessage().contains("publication"), e.getMessage());
        assertTrue(Files.exists(record));
    }

    @Test
    void aRecordThatReachesBeyondTheDatasetIsNotFollowed() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        Path outside = Files.writeString(root.resolve("x"), "kept");
        Path record = root.resolve("d/_unimeros/publication.json");
        for (String text : new String[] {
            "{}",
            "[]",
            "7",
            "",
            "{\"run\": null, \"added\": [], \"removed\": []}",
            "{\"run\": \"../..\", \"added\": [], \"removed\": []}",
            "{\"run\": \"r2\", \"added\": {}, \"removed\": []}",
            "{\"run\": \"r2\", \"added\": [7], \"removed\": []}",
            "{\"run\": \"r2\", \"added\": [], \"removed\": [\"../x\"]}",
            "{\"run\": \"r2\", \"added\": [], \"removed\": [\"day=a/../../x\"]}",
            "{\"run\": \"r2\", \"added\": [], \"removed\": [\"" + outside + "\"]}",
            "{\"run\": \"r2\", \"added\": [\"../x\"], \"removed\": []}",
            "{\"run\": \"r2\", \"added\": [], \"removed\": [\"_unimeros/published\"]}",
            "{\"run\": \"r2\", \"added\": [], \"removed\": [\"\"]}",
        }) {
            Files.writeString(record, text);
            BadData e = assertThrows(BadData.class, this::seen, text);
            assertTrue(e.getMessage().contains("publication.json is broken"), e.getMessage());
            DatasetSink sink = sink(WriteMode.APPEND, "r3");
            assertThrows(BadData.class, sink::begin, text);
            assertTrue(Files.exists(outside), text);
            assertTrue(Files.exists(record), text);
        }
        Files.delete(record);
        assertEquals(Map.of("day=a", List.of("1")), seen());
    }

    @Test
    void aRecordedFileThatIsNowhereIsSaidAndNothingIsRemoved() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        DatasetFolder folder = new DatasetFolder(StorePath.of(root.resolve("d")));
        String present = folder.relative(folder.list().get(0));
        Files.write(
                root.resolve("d/_unimeros/publication.json"),
                new Publication("r2", List.of("day=b/gone.csv"), List.of(present)).text());
        BadData e = assertThrows(BadData.class, this::seen);
        assertTrue(e.getMessage().contains("lacks day=b/gone.csv"), e.getMessage());
        assertThrows(BadData.class, () -> new DatasetFolder(StorePath.of(root.resolve("d"))).completeLeftovers());
        assertTrue(Files.exists(root.resolve("d").resolve(present)));
    }

    @Test
    void aRunIsPublishedOnceHoweverManyCameAfterIt() throws IOException {
        for (WriteMode mode : new WriteMode[] {WriteMode.REPLACE, WriteMode.REPLACE_PARTITIONS, WriteMode.APPEND}) {
            String name = mode.name();
            DatasetSink first = sink(mode, name + "-1");
            TaskOutput output = write(first, 0, rows(1, "a"));
            first.publish(List.of(output));
            publish(mode, name + "-2", 2, "a");
            Map<String, List<String>> before = seen();
            // As a coordinator that starts again does, which does not know whether it had published.
            sink(mode, name + "-1").publish(List.of(output));
            assertEquals(before, seen(), name);
        }
    }

    @Test
    void whatAnotherRunHasPublishedMeanwhileIsNotReplacedUnseen() throws IOException {
        publish(WriteMode.FAIL, "r0", 0, "a", 0, "b");
        for (WriteMode mode : new WriteMode[] {WriteMode.REPLACE, WriteMode.REPLACE_PARTITIONS}) {
            DatasetSink first = sink(mode, mode + "-1");
            DatasetSink second = sink(mode, mode + "-2");
            TaskOutput a = write(first, 0, rows(1, "a"));
            TaskOutput b = write(second, 0, rows(2, "a"));
            first.publish(List.of(a));
            UserMistake e = assertThrows(UserMistake.class, () -> second.publish(List.of(b)));
            assertTrue(e.getMessage().contains("run " + mode + "-1 has written day=a"), e.getMessage());
            second.abandon();
            assertEquals(List.of("1"), seen().get("day=a"));
        }
    }

    @Test
    void runsThatReplaceDifferentPartitionsDoNotBlockOneAnother() throws IOException {
        DatasetSink first = sink(WriteMode.REPLACE_PARTITIONS, "r1");
        DatasetSink second = sink(WriteMode.REPLACE_PARTITIONS, "r2");
        TaskOutput a = write(first, 0, rows(1, "a"));
        TaskOutput b = write(second, 0, rows(2, "b"));
        first.publish(List.of(a));
        second.publish(List.of(b));
        assertEquals(Map.of("day=a", List.of("1"), "day=b", List.of("2")), seen());
    }

    @Test
    void onTopOfOthersIsReplacedWhereThatIsWanted() throws IOException {
        WriteSpec onTop = new WriteSpec(
                StorePath.of(root.resolve("d")),
                new Formats().byName("csv"),
                FormatOptions.DEFAULTS,
                List.of("day"),
                WriteMode.REPLACE,
                true,
                0);
        DatasetSink second = new DatasetSink(onTop, SCHEMA, "r2");
        TaskOutput b = write(second, 0, rows(2, "b"));
        publish(WriteMode.APPEND, "r1", 1, "a");
        second.publish(List.of(b));
        assertEquals(Map.of("day=b", List.of("2")), seen());
        assertFalse(Files.exists(root.resolve("d/_unimeros/replaced")), "with no time to keep files they are deleted");
    }

    @Test
    void aRunWhoseFilesAreGoneReplacesNothing() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        DatasetSink sink = sink(WriteMode.REPLACE, "r2");
        TaskOutput output = write(sink, 0, rows(2, "a"));
        LocalStore.INSTANCE.deleteFolder(root.resolve("d/_unimeros/staging/r2").toString());
        ResourceFailure e = assertThrows(ResourceFailure.class, () -> sink.publish(List.of(output)));
        assertTrue(e.getMessage().contains("is not there any more"), e.getMessage());
        sink.abandon();
        assertEquals(Map.of("day=a", List.of("1")), seen());
    }

    @Test
    void aFileThatHasTheNameOfANewOneIsNotReplaced() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        DatasetSink sink = sink(WriteMode.APPEND, "r2");
        TaskOutput output = write(sink, 0, rows(2, "a"));
        Path mine = root.resolve("d").resolve(output.files().get(0));
        Files.writeString(mine, "x\n3\n");
        ResourceFailure e = assertThrows(ResourceFailure.class, () -> sink.publish(List.of(output)));
        assertTrue(e.getMessage().contains("there is a file " + mine + " already"), e.getMessage());
        sink.abandon();
        assertEquals(Map.of("day=a", List.of("1", "3")), seen());
    }

    @Test
    void replacedFilesAreKeptForReadersAndDeletedWhenTheyAreOld() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        DataFile listed =
                new DatasetFolder(StorePath.of(root.resolve("d"))).list().get(0);
        publish(WriteMode.REPLACE, "r2", 2, "a");
        assertFalse(Files.exists(Path.of(listed.toString())));
        DataFile kept = ReplacedFiles.find(listed).orElseThrow();
        assertEquals(List.of("x", "1"), Files.readAllLines(Path.of(kept.toString())));
        Files.writeString(root.resolve("d/_unimeros/replaced/r2/_since"), "1");
        publish(WriteMode.APPEND, "r3", 3, "a");
        assertEquals(Optional.empty(), ReplacedFiles.find(listed));
        assertEquals(Map.of("day=a", List.of("2", "3")), seen());
    }

    @Test
    void aLineOfPublishedRunsThatWasNotWrittenWholeDoesNotCount() throws IOException {
        publish(WriteMode.FAIL, "r1", 1, "a");
        Path published = root.resolve("d/_unimeros/published");
        Files.writeString(published, "r2\tday=a", StandardOpenOption.APPEND);
        publish(WriteMode.APPEND, "r2", 2, "a");
        assertEquals(List.of("r1\tday=a", "r2\tday=a"), Files.readAllLines(published));
        assertEquals(Map.of("day=a", List.of("1", "2")), seen());
    }

    @Test
    void partitionFoldersHoldAnyValue() {
        for (String key : new String[] {"k=ey", "_k", ".k", "..", "__null__", "%", "a/b", "ä"}) {
            for (String value : new String[] {
                "a",
                "",
                "x=y/z",
                "100%",
                "Öl & Tee",
                "..",
                " ",
                "__null",
                "%41",
                "a\nb",
                "😀",
                "__null__",
                "_x",
                ".x",
                "%",
                "\t",
                "\u0000",
                "\u007f",
                null
            }) {
                String folder = PartitionPath.folder(key, value);
                assertFalse(folder.contains("/") || folder.startsWith("_") || folder.startsWith("."), folder);
                assertEquals(key, PartitionPath.key(folder).orElseThrow());
                assertEquals(value, PartitionPath.value(folder), folder);
            }
        }
        UserMistake e = assertThrows(UserMistake.class, () -> PartitionPath.folder("k", "x".repeat(300)));
        assertTrue(e.getMessage().contains("partition column k is too long"), e.getMessage());
    }
}
