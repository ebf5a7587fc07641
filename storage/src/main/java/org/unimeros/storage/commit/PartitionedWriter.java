package org.unimeros.storage.commit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.operator.KeyNumbers;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.source.TableSink.TaskWriter;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Io;

/**
 * Writes the rows of one attempt, a file per partition. All open files together hold a limited number of bytes in
 * memory; beyond it the fullest is flushed. Beyond a number of open files the one that was used longest ago is finished,
 * and a later row of its partition begins another file.
 */
final class PartitionedWriter implements TaskWriter {

    private static final long MOST_BUFFERED_BYTES = 96L << 20;
    private static final int MOST_OPEN_FILES = 256;
    private static final int BATCHES_PER_CHECK = 8;

    private final Path staging;
    private final String prefix;
    private final WriteSpec spec;
    private final List<Field> partitionFields;
    private final int[] partitionIndices;
    private final Schema fileSchema;
    private final int[] fileIndices;
    private final TaskScope scope;
    private final KeyNumbers partitions;
    private final List<String> folders = new ArrayList<>();
    private final Map<Integer, OpenFile> open = new LinkedHashMap<>(16, 0.75f, true);
    private final List<String> finished = new ArrayList<>();
    private long rows;
    private long bytes;
    private int fileNumber;
    private long batches;

    private record OpenFile(String name, FileWriter writer) {}

    PartitionedWriter(
            Path staging,
            String prefix,
            WriteSpec spec,
            List<Field> partitionFields,
            int[] partitionIndices,
            Schema fileSchema,
            int[] fileIndices,
            TaskScope scope) {
        this.scope = scope;
        this.staging = staging;
        this.prefix = prefix;
        this.spec = spec;
        this.partitionFields = partitionFields;
        this.partitionIndices = partitionIndices;
        this.fileSchema = fileSchema;
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
        Batch files = batch.pick(fileIndices);
        if (partitionIndices.length == 0) {
            fileOf(0, "").writer.write(files);
        } else {
            divide(batch.pick(partitionIndices), files);
        }
        if (++batches % BATCHES_PER_CHECK == 0) {
            limitMemory();
        }
    }

    private void divide(Batch keys, Batch files) {
        Column[] columns = new Column[partitionIndices.length];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = keys.column(i);
        }
        partitions.divide(columns, keys.rowCount(), (number, order, from, end) -> {
            if (number == folders.size()) {
                folders.add(folder(partitions.values(number)));
            }
            FileWriter writer = fileOf(number, folders.get(number)).writer;
            boolean all = end - from == files.rowCount();
            writer.write(all ? files : files.select(Arrays.copyOfRange(order, from, end), end - from));
        });
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
        OpenFile file = open.get(partition);
        if (file == null) {
            if (open.size() >= MOST_OPEN_FILES) {
                finish(open.keySet().iterator().next());
            }
            file = begin(folder);
            open.put(partition, file);
        }
        return file;
    }

    private OpenFile begin(String folder) {
        String name = folder + prefix + "-" + fileNumber++ + spec.format().ending();
        Path path = staging.resolve(name);
        try {
            Files.createDirectories(path.getParent());
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        return new OpenFile(name, spec.format().write(path, fileSchema, spec.options(), scope));
    }

    private void limitMemory() {
        long buffered = 0;
        for (OpenFile file : open.values()) {
            buffered += file.writer.bufferedBytes();
        }
        while (buffered > MOST_BUFFERED_BYTES) {
            FileWriter fullest = open.values().stream()
                    .map(OpenFile::writer)
                    .max(Comparator.comparingLong(FileWriter::bufferedBytes))
                    .orElseThrow();
            buffered -= fullest.bufferedBytes();
            fullest.flush();
        }
    }

    private void finish(int partition) {
        OpenFile file = open.remove(partition);
        bytes += file.writer.finish();
        finished.add(file.name);
    }

    @Override
    public TaskOutput finish() {
        List.copyOf(open.keySet()).forEach(this::finish);
        return new TaskOutput(finished, rows, bytes);
    }

    @Override
    public void abort() {
        open.values().forEach(file -> file.writer.close());
        open.clear();
    }
}
