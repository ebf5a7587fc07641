package org.unimeros;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.storage.dataset.Dataset;
import org.unimeros.storage.dataset.Dataset.PartitionedFile;

/**
 * What a first look at a dataset finds, from its files and their metadata alone.
 *
 * @param rows the number of rows where the format tells it, else -1
 * @param partitionColumns names of the partition columns, outermost first
 * @param partitions every partition with its files and bytes, in the order of the folders
 * @param warnings what to know before a big job: tiny files, one huge partition, files that cannot be cut
 */
public record DatasetInfo(
        String name,
        String location,
        String format,
        Schema schema,
        long files,
        long bytes,
        long rows,
        List<String> partitionColumns,
        List<Partition> partitions,
        List<String> warnings) {

    /** A partition: {@code day=2031-03-04/hour=7}. */
    public record Partition(String name, long files, long bytes) {}

    private static final long TINY_BYTES = 1 << 20;
    private static final int MANY_TINY_FILES = 100;
    private static final long LARGE_BYTES = 256 << 20;

    public DatasetInfo {
        partitionColumns = List.copyOf(partitionColumns);
        partitions = List.copyOf(partitions);
        warnings = List.copyOf(warnings);
    }

    /** The same in a line. */
    @Override
    public String toString() {
        return name + ": " + format + ", " + Sizes.count(files, "file") + " of " + Sizes.bytes(bytes)
                + (rows < 0 ? "" : ", " + Sizes.count(rows, "row")) + ", " + schema;
    }

    static DatasetInfo of(Dataset dataset) {
        long bytes = dataset.files().stream().mapToLong(f -> f.file().bytes()).sum();
        List<Partition> partitions = partitions(dataset);
        return new DatasetInfo(
                dataset.name(),
                dataset.spec().location(),
                dataset.format().name(),
                dataset.schema(),
                dataset.files().size(),
                bytes,
                dataset.knownRows(),
                dataset.partitionFields().stream().map(Field::name).toList(),
                partitions,
                warnings(dataset, partitions, bytes));
    }

    private static List<Partition> partitions(Dataset dataset) {
        List<Field> fields = dataset.partitionFields();
        if (fields.isEmpty()) {
            return List.of();
        }
        Map<List<Object>, long[]> sizes = dataset.sizesBy(PartitionedFile::partition);
        List<Partition> partitions = new ArrayList<>();
        sizes.forEach((values, size) -> partitions.add(new Partition(name(fields, values), size[0], size[1])));
        return partitions;
    }

    private static String name(List<Field> fields, List<Object> values) {
        List<String> steps = new ArrayList<>();
        for (int i = 0; i < fields.size(); i++) {
            steps.add(fields.get(i).name() + "=" + (values.get(i) == null ? "null" : Values.text(values.get(i))));
        }
        return String.join("/", steps);
    }

    private static List<String> warnings(Dataset dataset, List<Partition> partitions, long bytes) {
        List<String> warnings = new ArrayList<>(dataset.warnings());
        long tiny = dataset.files().stream()
                .filter(f -> f.file().bytes() < TINY_BYTES)
                .count();
        if (tiny >= MANY_TINY_FILES) {
            warnings.add(Sizes.count(tiny, "file") + " of less than " + Sizes.bytes(TINY_BYTES)
                    + " each: they are packed when read, but listing and opening them takes time");
        }
        long empty = dataset.files().stream().filter(f -> f.file().bytes() == 0).count();
        if (empty > 0) {
            warnings.add(Sizes.count(empty, "file") + (empty == 1 ? " is" : " are") + " empty");
        }
        partitions.stream()
                .filter(p -> partitions.size() > 2 && p.bytes() > TINY_BYTES && p.bytes() * 2 > bytes)
                .forEach(p -> warnings.add(
                        "partition " + p.name() + " holds " + Sizes.bytes(p.bytes()) + ", more than half of all data"));
        String unsplittable = dataset.files().stream()
                .filter(f -> f.file().bytes() > LARGE_BYTES && !dataset.format().canBeCut(f.file()))
                .map(f -> f.file().toString())
                .limit(3)
                .collect(Collectors.joining(", "));
        if (!unsplittable.isEmpty()) {
            warnings.add(
                    "large files that one task must read alone, because they are compressed as a whole or in another encoding than"
                            + " UTF-8: "
                            + unsplittable);
        }
        return warnings;
    }
}
