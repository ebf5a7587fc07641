package org.unimeros.storage.commit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.TableSink.TaskWriter;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.FilterStore;
import org.unimeros.storage.store.LocalStore;
import org.unimeros.storage.store.Store;
import org.unimeros.storage.store.StorePath;

/** A run that writes, with a fault at each operation on the store in turn: readers see all that was before, or all that is after. */
class PublicationFaultsTest {

    private static final Schema SCHEMA = Schema.of(Field.of("parcels", DataType.INT), Field.of("depot", DataType.TEXT));
    private static final Map<String, List<String>> BEFORE =
            Map.of("depot=a", List.of("1"), "depot=b", List.of("2"), "depot=c", List.of("3"));

    @TempDir
    private Path temp;

    /** A store that fails at one operation, and at all later ones if that is the end of its process. */
    private static final class Faulty extends FilterStore {
        private final int at;
        private final transient boolean isTheEnd;
        private transient int operations;

        Faulty(int at, boolean isTheEnd) {
            super(LocalStore.INSTANCE);
            this.at = at;
            this.isTheEnd = isTheEnd;
        }

        @Override
        protected void before(String operation, String path) throws IOException {
            operations++;
            if (operations == at || isTheEnd && operations > at) {
                throw new IOException("the disk did not " + operation);
            }
        }

        boolean hasFailed() {
            return operations >= at;
        }
    }

    private static DatasetSink sink(Store store, Path root, WriteMode mode, String run) {
        WriteSpec spec = new WriteSpec(
                new StorePath(store, StorePath.of(root).path()),
                new Formats().byName("csv"),
                FormatOptions.DEFAULTS,
                List.of("depot"),
                mode);
        return new DatasetSink(spec, SCHEMA, run);
    }

    private static void run(DatasetSink sink, Object... parcelsAndDepot) {
        sink.begin();
        BatchBuilder rows = new BatchBuilder(SCHEMA);
        for (int i = 0; i < parcelsAndDepot.length; i += 2) {
            Values.append(rows.column(0), parcelsAndDepot[i]);
            Values.append(rows.column(1), parcelsAndDepot[i + 1]);
            rows.endRow();
        }
        Batch batch = rows.build();
        TaskWriter writer = sink.open(0, 0, TaskScope.NONE);
        writer.write(batch);
        sink.publish(List.of(writer.finish()));
    }

    private static Map<String, List<String>> seen(Path root) throws IOException {
        DatasetFolder folder = new DatasetFolder(StorePath.of(root));
        Map<String, List<String>> seen = new TreeMap<>();
        for (DataFile file : folder.list()) {
            String path = folder.relative(file);
            List<String> lines = Files.readAllLines(Path.of(file.toString()));
            seen.computeIfAbsent(path.substring(0, path.indexOf('/')), k -> new ArrayList<>())
                    .addAll(lines.subList(1, lines.size()));
        }
        seen.values().forEach(Collections::sort);
        return seen;
    }

    private static List<String> leftBehind(Path root) throws IOException {
        try (Stream<Path> all = Files.walk(root.resolve("_unimeros"))) {
            return all.map(p -> root.resolve("_unimeros").relativize(p).toString())
                    .filter(p -> p.startsWith("staging/") || p.startsWith("publication"))
                    .toList();
        }
    }

    @ParameterizedTest
    @CsvSource({"REPLACE_PARTITIONS, true", "REPLACE_PARTITIONS, false", "APPEND, true"})
    void readersSeeAllOrNothing(WriteMode mode, boolean isTheEnd) throws IOException {
        Map<String, List<String>> after = mode == WriteMode.APPEND
                ? Map.of("depot=a", List.of("1", "10"), "depot=b", List.of("2", "20"), "depot=c", List.of("3"))
                : Map.of("depot=a", List.of("10"), "depot=b", List.of("20"), "depot=c", List.of("3"));
        int ended = 0;
        int done = 0;
        boolean failed = true;
        for (int at = 1; failed; at++) {
            Path root = temp.resolve(mode + "-" + at);
            run(sink(LocalStore.INSTANCE, root, WriteMode.FAIL, "r1"), 1, "a", 2, "b", 3, "c");
            Faulty store = new Faulty(at, isTheEnd);
            boolean said = false;
            try {
                DatasetSink sink = sink(store, root, mode, "r2");
                try {
                    run(sink, 10, "a", 20, "b");
                } finally {
                    if (!isTheEnd) {
                        sink.abandon();
                    }
                }
            } catch (ResourceFailure e) {
                said = true;
            }
            failed = store.hasFailed();
            store.die();
            String when = mode + ", fault at operation " + at;
            Map<String, List<String>> seen = seen(root);
            assertTrue(seen.equals(BEFORE) || seen.equals(after), when + ": " + seen);
            assertTrue(said || seen.equals(after), when + ": was not said, and nothing is there");
            ended += seen.equals(BEFORE) ? 1 : 0;
            done += seen.equals(after) ? 1 : 0;
            new DatasetFolder(StorePath.of(root)).completeLeftovers();
            assertEquals(seen, seen(root), when + ": another view after what was left is completed");
            assertEquals(List.of(), leftBehind(root), when);
            run(sink(LocalStore.INSTANCE, root, WriteMode.APPEND, "r3"), 4, "d");
            Map<String, List<String>> more = new TreeMap<>(seen);
            more.put("depot=d", List.of("4"));
            assertEquals(more, seen(root), when + ": the next run");
        }
        assertTrue(ended > 10 && done > 5, "faults before the step that counts: " + ended + ", after it: " + done);
    }
}
