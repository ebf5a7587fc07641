package org.unimeros.storage.commit;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.key.KeyNumbers;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.source.TableSink.TaskWriter;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.store.StorePath;

/**
 * Writes the rows of one attempt, one file for each partition that it has rows of. All open files together hold a limited number of bytes in memory;
 * beyond it the fullest is flushed. Rows of partitions beyond a number of open files are put aside, divided by partition into a few files
 * ({@link AsideRows}), and written in the end, one of these files after the other, so that no partition gets more than one file however many there are.
 */
final class PartitionedWriter implements TaskWriter {

    private static final long MOST_BUFFERED_BYTES = 96L << 20;
    private static final int MOST_OPEN_FILES = 256;
    private static final int ASIDE_FILES = 64;
    private static final int BATCHES_PER_CHECK = 8;

    private final StorePath staging;
    private final String prefix;
    private final WriteSpec spec;
    private final Schema schema;
    private final List<Field> partitionFields;
    private final int[] partitionIndices;
    private final Schema fileSchema;
    private final int[] fileIndices;
    private final TaskScope scope;
    private final int mostOpen;
    private final int asideFiles;
    private final KeyNumbers partitions;
    private final List<String> folders = new ArrayList<>();
    private final Map<Integer, OpenFile> open = new HashMap<>();
    private final List<String> finished = new ArrayList<>();
    private AsideRows aside;
    private long rows;
    private long bytes;
    private int fileNumber;
    private int asideNumber;
    private long batches;

    private record OpenFile(String name, FileWriter writer) {}

    /** @param schema of all rows; the partition columns and those of the files are some of it */
    PartitionedWriter(
            StorePath staging,
            String prefix,
            WriteSpec spec,
            Schema schema,
            int[] partitionIndices,
            int[] fileIndices,
            TaskScope scope) {
        this(staging, prefix, spec, schema, partitionIndices, fileIndices, scope, MOST_OPEN_FILES, ASIDE_FILES);
    }

    /**
     * @param mostOpen partitions that rows are written to at once
     * @param asideFiles files that the rows of others are divided into
     */
    PartitionedWriter(
            StorePath staging,
            String prefix,
            WriteSpec spec,
            Schema schema,
            int[] partitionIndices,
            int[] fileIndices,
            TaskScope scope,
            int mostOpen,
            int asideFiles) {
        this.mostOpen = mostOpen;
        this.asideFiles = asideFiles;
        this.scope = scope;
        this.staging = staging;
        this.prefix = prefix;
        this.spec = spec;
        this.schema = schema;
        this.partitionFields =
                Arrays.stream(partitionIndices).mapToObj(schema::field).toList();
        this.partitionIndices = partitionIndices;
        this.fileSchema = schema.pick(fileIndices);
        this.fileIndices = fileIndices;
        this.partitions =
                new KeyNumbers(partitionFields.stream().map(Field::type).toList());
    }

    @Override
    public void requireFile() {
        if (partitionIndices.length == 0) {
            fileOf(0, "");
        }
    }

    @Override
    public void write(Batch batch) {
        rows += batch.rowCount();
        if (partitionIndices.length == 0) {
            fileOf(0, "").writer.write(batch.pick(fileIndices));
        } else {
            divide(batch, asideFiles);
        }
        if (++batches % BATCHES_PER_CHECK == 0) {
            limitMemory();
        }
    }

    /** @param files how many files rows are divided into that are put aside */
    private void divide(Batch batch, int files) {
        Batch keys = batch.pick(partitionIndices);
        Batch values = batch.pick(fileIndices);
        Column[] columns = new Column[partitionIndices.length];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = keys.column(i);
        }
        partitions.divide(columns, keys.rowCount(), (number, order, from, end) -> {
            if (number == folders.size()) {
                folders.add(folder(partitions.values(number)));
                requireSensible();
            }
            boolean hasFile = open.containsKey(number) || open.size() < mostOpen;
            boolean all = end - from == batch.rowCount();
            int[] chosen = all ? null : Arrays.copyOfRange(order, from, end);
            if (hasFile) {
                FileWriter writer = fileOf(number, folders.get(number)).writer;
                writer.write(all ? values : values.select(chosen, end - from));
            } else {
                aside(files).write(number, all ? batch : batch.select(chosen, end - from));
            }
        });
    }

    private void requireSensible() {
        if (folders.size() > WriteSpec.MOST_PARTITIONS) {
            throw new UserMistake(
                    "one task has rows of more than " + WriteSpec.MOST_PARTITIONS + " partitions by "
                            + String.join(", ", spec.partitionColumns())
                            + ", each of which would be a folder with a file of its own; partition by columns with fewer values");
        }
    }

    private AsideRows aside(int files) {
        if (aside == null) {
            aside = new AsideRows(staging.resolve("aside"), prefix + "-" + asideNumber++, schema, files, scope);
        }
        return aside;
    }

    private String folder(List<Object> key) {
        StringBuilder path = new StringBuilder();
        for (int i = 0; i < key.size(); i++) {
            String value = key.get(i) == null ? null : Values.text(key.get(i));
            path.append(PartitionPath.folder(partitionFields.get(i).name(), value))
                    .append('/');
        }
        return path.toString();
    }

    private OpenFile fileOf(int partition, String folder) {
        return open.computeIfAbsent(partition, p -> begin(folder));
    }

    private OpenFile begin(String folder) {
        String name = folder + prefix + "-" + fileNumber++ + spec.format().ending();
        return new OpenFile(name, spec.format().write(staging.resolve(name), fileSchema, spec.options(), scope));
    }

    private void limitMemory() {
        List<FileWriter> writers =
                new ArrayList<>(open.values().stream().map(OpenFile::writer).toList());
        if (aside != null) {
            writers.addAll(aside.writers());
        }
        long buffered = writers.stream().mapToLong(FileWriter::bufferedBytes).sum();
        while (buffered > MOST_BUFFERED_BYTES) {
            FileWriter fullest = writers.stream()
                    .max(Comparator.comparingLong(FileWriter::bufferedBytes))
                    .orElseThrow();
            buffered -= fullest.bufferedBytes();
            fullest.flush();
        }
    }

    private void finishOpen() {
        new TreeMap<>(open).values().forEach(file -> {
            bytes += file.writer.finish();
            finished.add(file.name);
        });
        open.clear();
    }

    @Override
    public TaskOutput finish() {
        finishOpen();
        Deque<StorePath> left = new ArrayDeque<>();
        for (takeAside(left); !left.isEmpty(); takeAside(left)) {
            StorePath file = left.remove();
            AsideRows.read(file, schema, batch -> {
                // Of one of these files few partitions are left, and fewer with each round.
                divide(batch, 1);
                if (++batches % BATCHES_PER_CHECK == 0) {
                    limitMemory();
                }
            });
            finishOpen();
        }
        return new TaskOutput(finished, rows, bytes);
    }

    private void takeAside(Deque<StorePath> left) {
        if (aside != null) {
            left.addAll(aside.finish());
            aside = null;
        }
    }

    @Override
    public void abort() {
        open.values().forEach(file -> file.writer.close());
        open.clear();
        if (aside != null) {
            aside.close();
            aside = null;
        }
    }
}
