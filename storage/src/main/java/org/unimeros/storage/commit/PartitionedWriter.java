package org.unimeros.storage.commit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
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

    private final Path staging;
    private final String prefix;
    private final WriteSpec spec;
    private final List<Field> partitionFields;
    private final int[] partitionIndices;
    private final Schema fileSchema;
    private final int[] fileIndices;
    private final Map<String, FileWriter> open = new LinkedHashMap<>(16, 0.75f, true);
    private final Map<String, String> openNames = new LinkedHashMap<>();
    private final List<String> finished = new ArrayList<>();
    private long rows;
    private long bytes;
    private int fileNumber;

    PartitionedWriter(
            Path staging,
            String prefix,
            WriteSpec spec,
            List<Field> partitionFields,
            int[] partitionIndices,
            Schema fileSchema,
            int[] fileIndices) {
        this.staging = staging;
        this.prefix = prefix;
        this.spec = spec;
        this.partitionFields = partitionFields;
        this.partitionIndices = partitionIndices;
        this.fileSchema = fileSchema;
        this.fileIndices = fileIndices;
    }

    @Override
    public void write(Batch batch) {
        rows += batch.rowCount();
        if (partitionIndices.length == 0) {
            write("", batch.pick(fileIndices));
        } else {
            divide(batch);
        }
        limitMemory();
    }

    private void divide(Batch batch) {
        Map<List<Object>, List<Integer>> rowsOf = new LinkedHashMap<>();
        for (int row = 0; row < batch.rowCount(); row++) {
            List<Object> key = new ArrayList<>(partitionIndices.length);
            for (int i = 0; i < partitionIndices.length; i++) {
                key.add(Values.get(
                        batch.column(partitionIndices[i]),
                        row,
                        partitionFields.get(i).type()));
            }
            rowsOf.computeIfAbsent(key, k -> new ArrayList<>()).add(row);
        }
        Batch files = batch.pick(fileIndices);
        rowsOf.forEach((key, list) -> {
            int[] selected = list.stream().mapToInt(Integer::intValue).toArray();
            write(folder(key), selected.length == batch.rowCount() ? files : files.select(selected, selected.length));
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

    private void write(String folder, Batch batch) {
        FileWriter writer = open.get(folder);
        if (writer == null) {
            if (open.size() >= MOST_OPEN_FILES) {
                finish(open.keySet().iterator().next());
            }
            writer = begin(folder);
        }
        writer.write(batch);
    }

    private FileWriter begin(String folder) {
        String name = folder + prefix + "-" + fileNumber++ + spec.format().ending();
        Path path = staging.resolve(name);
        try {
            Files.createDirectories(path.getParent());
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        FileWriter writer = spec.format().write(path, fileSchema, spec.options());
        open.put(folder, writer);
        openNames.put(folder, name);
        return writer;
    }

    private void limitMemory() {
        long buffered = 0;
        for (FileWriter writer : open.values()) {
            buffered += writer.bufferedBytes();
        }
        while (buffered > MOST_BUFFERED_BYTES) {
            FileWriter fullest = open.values().stream()
                    .max(Comparator.comparingLong(FileWriter::bufferedBytes))
                    .orElseThrow();
            buffered -= fullest.bufferedBytes();
            fullest.flush();
        }
    }

    private void finish(String folder) {
        FileWriter writer = open.remove(folder);
        bytes += writer.finish();
        finished.add(openNames.remove(folder));
    }

    @Override
    public TaskOutput finish() {
        List.copyOf(open.keySet()).forEach(this::finish);
        return new TaskOutput(finished, rows, bytes);
    }

    @Override
    public void abort() {
        open.values().forEach(FileWriter::close);
        open.clear();
    }
}
