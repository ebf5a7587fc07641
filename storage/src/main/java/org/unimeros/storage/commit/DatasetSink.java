package org.unimeros.storage.commit;

import java.io.IOException;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.TableSink;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;

/** Writes the rows of one run to a dataset. */
public final class DatasetSink implements TableSink {

    private final WriteSpec spec;
    private final Schema schema;
    private final int[] partitionIndices;
    private final int[] fileIndices;
    private final String run;
    private final DatasetFolder folder;
    /** Held by the process that publishes or abandons the run. */
    private transient StagingAreas.StagingArea staging;

    /** Whether a publication was recorded and not carried out; then the files in staging belong to it. */
    private transient boolean recorded;

    /**
     * Checks what can be checked before anything runs.
     *
     * @param schema of the rows to be written
     * @param run a name that no other run has
     * @throws UserMistake when the columns do not fit, or something is there and must not be
     */
    public DatasetSink(WriteSpec spec, Schema schema, String run) {
        this.spec = spec;
        this.schema = schema;
        this.run = run;
        this.folder = new DatasetFolder(spec.location(), spec.keepReplacedMillis());
        schema.requireUniqueNames("writing a dataset");
        this.partitionIndices =
                spec.partitionColumns().stream().mapToInt(schema::resolve).toArray();
        this.fileIndices = rest(schema.size(), partitionIndices);
        if (fileIndices.length == 0) {
            throw new UserMistake("all columns are partition columns, so that nothing is left for the files");
        }
        spec.options().requireFor(spec.format().name(), spec.format().writeOptions(), false);
        spec.format().requireWritable(schema.pick(fileIndices));
        if (isFile(spec.location())) {
            throw new UserMistake(spec.location() + " is a file; a dataset is written to a folder");
        }
        if (spec.mode() == WriteMode.FAIL && !folder.list().isEmpty()) {
            throw new UserMistake("there is data in " + spec.location()
                    + " already; choose append, replace-partitions or" + " replace, or another place");
        }
        if (spec.mode() == WriteMode.REPLACE_PARTITIONS && partitionIndices.length == 0) {
            throw new UserMistake("replace-partitions needs partition columns; name them, or use replace");
        }
    }

    private static boolean isFile(StorePath location) {
        try {
            return location.find().isPresent();
        } catch (IOException e) {
            throw Io.failure("look at", location, e);
        }
    }

    private static int[] rest(int size, int[] taken) {
        Set<Integer> without = new HashSet<>();
        for (int index : taken) {
            without.add(index);
        }
        return IntStream.range(0, size).filter(i -> !without.contains(i)).toArray();
    }

    @Override
    public String describe() {
        String by = spec.partitionColumns().isEmpty() ? "" : " by " + String.join(", ", spec.partitionColumns());
        String before = switch (spec.mode()) {
            case FAIL -> "";
            case APPEND -> ", beside what is there";
            case REPLACE_PARTITIONS -> ", in place of whole partitions";
            case REPLACE -> ", in place of what was there";
        };
        return spec.location() + " as " + spec.format().name() + by + before;
    }

    @Override
    public List<Integer> partitionColumns() {
        return Arrays.stream(partitionIndices).boxed().toList();
    }

    @Override
    public TaskWriter open(int task, int attempt, TaskScope scope) {
        String prefix = String.format("%s-%05d-%d", run, task, attempt);
        return new PartitionedWriter(
                folder.paths().stagingOf(run), prefix, spec, schema, partitionIndices, fileIndices, scope);
    }

    @Override
    public synchronized void begin() {
        if (staging == null) {
            try {
                spec.location().store().makeFolder(spec.location().path());
            } catch (IOException e) {
                throw Io.failure("write to", spec.location(), e);
            }
            staging = folder.begin(run);
        }
    }

    @Override
    public synchronized void publish(List<TaskOutput> outputs) {
        begin();
        List<String> written = outputs.stream().flatMap(o -> o.files().stream()).toList();
        PublicationSteps steps = folder.steps();
        folder.publishing(() -> {
            steps.completeRecorded();
            if (steps.isPublished(run)) {
                // A process that published it ended before it could say so.
                release();
                return;
            }
            List<String> added = written.isEmpty() ? columnsAlone() : written;
            steps.requireStaged(run, added);
            refuseLost(added);
            Publication publication = new Publication(run, added, removed(added));
            steps.record(publication);
            recorded = true;
            steps.carryOut(publication);
            recorded = false;
            release();
        });
    }

    /** A file without rows, so that a dataset that gets none can be read, where a file can have columns and no rows. */
    private List<String> columnsAlone() {
        boolean isWanted = spec.partitionColumns().isEmpty()
                && spec.format().keepsColumns(spec.options())
                && (spec.mode() == WriteMode.REPLACE || folder.list().isEmpty());
        if (!isWanted) {
            return List.of();
        }
        String name = run + "-none" + spec.format().ending();
        try (FileWriter writer = spec.format()
                .write(folder.paths().stagingOf(run).resolve(name), schema.pick(fileIndices), spec.options())) {
            writer.finish();
        }
        return List.of(name);
    }

    /** What another run has published since this one began is not replaced without being seen. */
    private void refuseLost(List<String> added) throws IOException {
        boolean replaces = spec.mode() == WriteMode.REPLACE || spec.mode() == WriteMode.REPLACE_PARTITIONS;
        if (!replaces || spec.replacesOnTop()) {
            return;
        }
        Set<String> touched = new HashSet<>();
        added.forEach(path -> touched.add(Publication.folder(path)));
        for (PublishedRuns.Entry other : folder.publishedSince(staging)) {
            List<String> lost = other.folders().stream()
                    .filter(f -> spec.mode() == WriteMode.REPLACE || touched.contains(f))
                    .toList();
            if (!other.run().equals(run) && !lost.isEmpty()) {
                String what = lost.get(0).isEmpty() ? "rows" : lost.get(0);
                throw new UserMistake("run " + other.run() + " has written " + what + " to " + spec.location()
                        + " since this run began, which replacing it would lose; run again, or set write.conflict"
                        + " to replace");
            }
        }
    }

    /** The files that the new ones replace. */
    private List<String> removed(List<String> added) {
        List<DataFile> present = folder.list();
        if (spec.mode() == WriteMode.FAIL && !present.isEmpty()) {
            throw new UserMistake("another run has written to " + spec.location()
                    + " in the meantime; run again with append, replace-partitions or replace");
        }
        if (spec.mode() == WriteMode.FAIL || spec.mode() == WriteMode.APPEND) {
            return List.of();
        }
        Set<String> touched = new HashSet<>();
        added.forEach(path -> touched.add(Publication.folder(path)));
        return present.stream()
                .map(folder::relative)
                .filter(path -> spec.mode() == WriteMode.REPLACE || touched.contains(Publication.folder(path)))
                .toList();
    }

    @Override
    public synchronized void abandon() {
        if (staging != null) {
            try {
                release();
            } catch (IOException e) {
                throw Io.failure("clean up", spec.location(), e);
            }
        }
    }

    private void release() throws IOException {
        staging.release(recorded);
        staging = null;
    }
}
