package org.unimeros.storage.dataset;

import java.nio.charset.Charset;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.TableSource;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.store.StorePath;

/** A dataset that was opened: its files were listed and its columns are known. Immutable; scans see the listed files. */
public final class Dataset implements TableSource {

    /** A file and the values of the partition columns for it. */
    public record PartitionedFile(DataFile file, List<Object> partition) {}

    /** Of so many files all are asked for their columns. */
    private static final int MOST_LOOKED_INTO = 50;

    private final DatasetSpec spec;
    private final Format format;
    private final List<PartitionedFile> files;
    private final List<ColumnSpec> fileColumns;
    private final List<Field> partitionFields;
    private final Schema schema;
    private final List<String> warnings;

    private Dataset(
            DatasetSpec spec,
            Format format,
            List<PartitionedFile> files,
            List<ColumnSpec> fileColumns,
            List<Field> partitionFields,
            List<String> warnings) {
        this.spec = spec;
        this.format = format;
        this.files = files;
        this.partitionFields = partitionFields;
        this.warnings = warnings;
        Set<String> partitionNames = partitionFields.stream()
                .map(f -> f.name().toLowerCase(Locale.ROOT))
                .collect(Collectors.toSet());
        this.fileColumns = fileColumns.stream()
                .filter(c -> !partitionNames.contains(c.name().toLowerCase(Locale.ROOT)))
                .toList();
        List<Field> fields = new ArrayList<>();
        this.fileColumns.forEach(c -> fields.add(Field.of(c.name(), c.type())));
        fields.addAll(partitionFields);
        this.schema = new Schema(fields);
    }

    /**
     * Lists the files of a dataset and finds its columns.
     *
     * @throws ResourceFailure when it does not exist or cannot be listed
     * @throws UserMistake when it is empty or of unknown format
     */
    public static Dataset open(DatasetSpec said, Formats formats) {
        List<DataFile> raw = new ArrayList<>();
        List<String> paths = new ArrayList<>();
        Set<StorePath> seen = new HashSet<>();
        for (Location location : said.locations()) {
            boolean isFile = location.isFile();
            for (DataFile file : location.list(said.name())) {
                if (said.locations().size() > 1 && !seen.add(file.path())) {
                    throw new UserMistake("dataset " + said.name() + " has " + file
                            + " twice, which would double its rows; name it once");
                }
                raw.add(file);
                paths.add(isFile ? "" : location.relative(file));
            }
        }
        if (raw.isEmpty()) {
            throw new UserMistake(
                    "dataset " + said.name() + " is empty: there are no data files in " + said.location());
        }
        Format format = format(said, raw, formats);
        said.options().requireFor(format.name(), format.readOptions(), true);
        DatasetSpec spec = said.with(format.found(raw, said.options()));
        Charset encoding = spec.options().encoding();
        List<DataFile> listed = raw.stream().map(file -> file.in(encoding)).toList();
        List<Map<String, String>> textsOfFiles =
                paths.stream().map(Partitions::of).toList();
        List<Field> partitionFields = Partitions.fields(spec.name(), paths, textsOfFiles, spec.partitionColumns());
        List<PartitionedFile> files = new ArrayList<>();
        Map<Map<String, String>, List<Object>> known = new HashMap<>();
        for (int i = 0; i < listed.size(); i++) {
            Map<String, String> texts = textsOfFiles.get(i);
            files.add(new PartitionedFile(
                    listed.get(i), known.computeIfAbsent(texts, t -> partition(said, partitionFields, t))));
        }
        List<String> warnings = new ArrayList<>();
        List<ColumnSpec> columns;
        if (spec.columns().isPresent()) {
            columns = spec.columns().get();
            requireColumns(spec, format, listed, partitionFields);
        } else {
            Format.Inferred inferred = infer(spec, format, listed);
            warnings.addAll(inferred.warnings());
            columns = inferred.columns();
        }
        return new Dataset(spec, format, files, columns, partitionFields, warnings);
    }

    /** A declared column that no file has would be null in all rows, as a mistyped one is. */
    private static void requireColumns(
            DatasetSpec spec, Format format, List<DataFile> files, List<Field> partitionFields) {
        if (files.size() > MOST_LOOKED_INTO) {
            return;
        }
        Set<String> there = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
        partitionFields.forEach(f -> there.add(f.name()));
        for (DataFile file : files) {
            Optional<List<String>> names = format.columnNames(file, spec.options());
            if (names.isEmpty()) {
                return;
            }
            names.get().forEach(name -> there.add(name.strip()));
        }
        for (ColumnSpec column : spec.columns().orElseThrow()) {
            if (!there.contains(column.path()) && !there.contains(column.name())) {
                throw new UserMistake("dataset " + spec.name() + ": column " + column.name()
                        + " is declared and in none of its files" + NameSuggestions.hint(column.path(), there));
            }
        }
    }

    private static Format.Inferred infer(DatasetSpec spec, Format format, List<DataFile> files) {
        boolean allEmpty = !format.hasFixedColumns() && files.stream().allMatch(f -> f.bytes() == 0);
        if (allEmpty) {
            throw new UserMistake(
                    "dataset " + spec.name() + " has only empty files, so that its columns are not known; declare"
                            + " them, or write some data");
        }
        Format.Inferred inferred = format.infer(files, spec.options());
        if (inferred.columns().isEmpty()) {
            throw new BadData("dataset " + spec.name() + ": no columns were found in " + spec.location() + " read as "
                    + format.name() + "; name another format, or declare the columns");
        }
        return inferred;
    }

    private static Format format(DatasetSpec spec, List<DataFile> files, Formats formats) {
        if (spec.format().isPresent()) {
            return formats.byName(spec.format().get());
        }
        Map<String, DataFile> found = new LinkedHashMap<>();
        String before = "";
        for (DataFile file : files) {
            String path = file.toString();
            // Nearly all have the ending of the one before. What is compressed has another ending before that.
            if (before.isEmpty() || !path.endsWith(before) || file.isGzip()) {
                String name = formats.byEnding(file).map(Format::name).orElse("");
                found.putIfAbsent(name, file);
                before = path.substring(Math.max(0, path.lastIndexOf('.')));
            }
        }
        if (found.containsKey("")) {
            refusePacked(found.get(""));
            throw new UserMistake("the format of " + found.get("") + " is not known from its ending; name it: "
                    + String.join(", ", formats.names()));
        }
        if (found.size() > 1) {
            throw new UserMistake("dataset " + spec.name() + " mixes formats: " + found
                    + "; keep one format per folder, or read those that fit a pattern, such as *"
                    + formats.byName(found.keySet().iterator().next()).ending());
        }
        return formats.byName(found.keySet().iterator().next());
    }

    private static void refusePacked(DataFile file) {
        String name = file.toString().toLowerCase(Locale.ROOT);
        String ending = name.substring(name.lastIndexOf('.') + 1);
        if (List.of("zst", "zstd", "bz2", "xz", "lz4", "zip", "br", "snappy", "z", "7z", "tar", "tgz")
                .contains(ending)) {
            throw new UserMistake(
                    file + ": files compressed as ." + ending + " are not read; unpack them, or compress them as .gz");
        }
    }

    private static List<Object> partition(DatasetSpec spec, List<Field> fields, Map<String, String> texts) {
        List<Object> values = new ArrayList<>();
        fields.forEach(f -> values.add(Partitions.value(spec.name(), f, texts.get(f.name()))));
        return values;
    }

    @Override
    public String name() {
        return spec.name();
    }

    @Override
    public Schema schema() {
        return schema;
    }

    public DatasetSpec spec() {
        return spec;
    }

    public Format format() {
        return format;
    }

    public List<PartitionedFile> files() {
        return files;
    }

    public List<Field> partitionFields() {
        return partitionFields;
    }

    /** What was noticed when the columns were looked for. */
    public List<String> warnings() {
        return warnings;
    }

    List<ColumnSpec> fileColumns() {
        return fileColumns;
    }

    /** The rows in all files where the format tells, else -1. */
    public long knownRows() {
        long rows = 0;
        for (PartitionedFile file : files) {
            long n = format.pieces(file.file(), List.of(), List.of(), Long.MAX_VALUE)
                    .rows();
            if (n < 0) {
                return -1;
            }
            rows += n;
        }
        return rows;
    }

    @Override
    public ScanPlan plan(ScanRequest request) {
        return new ScanPlanner(this, request).plan();
    }

    /** Files grouped by something, with their number and bytes. */
    public <K> Map<K, long[]> sizesBy(Function<PartitionedFile, K> key) {
        Map<K, long[]> sizes = new LinkedHashMap<>();
        for (PartitionedFile file : files) {
            long[] size = sizes.computeIfAbsent(key.apply(file), k -> new long[2]);
            size[0]++;
            size[1] += file.file().bytes();
        }
        return sizes;
    }

    static boolean readsOnly(Expression e, Set<Integer> columns) {
        return Expressions.columns(e).stream().allMatch(columns::contains);
    }
}
