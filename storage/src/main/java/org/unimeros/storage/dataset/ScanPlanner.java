package org.unimeros.storage.dataset;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.storage.dataset.Dataset.PartitionedFile;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Pieces;

/**
 * Plans one scan: leaves out partitions by the conditions on partition columns, and parts of files by what the format
 * knows of them; cuts big files and packs small ones. Splits follow the order of the files, so that the order of rows
 * does not depend on anything but the data and the target size.
 */
final class ScanPlanner {

    /** What opening a file costs, as bytes; so that a split of tiny files does not hold a million of them. */
    private static final long FILE_COST = 8 << 10;

    private final Dataset dataset;
    private final ScanRequest request;
    private final int fileColumnCount;

    ScanPlanner(Dataset dataset, ScanRequest request) {
        this.dataset = dataset;
        this.request = request;
        this.fileColumnCount = dataset.fileColumns().size();
    }

    ScanPlan plan() {
        List<Expression> exact = new ArrayList<>();
        List<Expression> open = new ArrayList<>();
        Set<Integer> partitionPositions = partitionPositions();
        for (Expression condition : request.conditions()) {
            boolean onPartition = Dataset.readsOnly(condition, partitionPositions)
                    && !Expressions.columns(condition).isEmpty()
                    && !Expressions.hasOwnCode(condition);
            // A condition behind one that guards it must not be evaluated before that one.
            boolean first = open.isEmpty() || !condition.canFail();
            (onPartition && first ? exact : open).add(condition);
        }
        List<ColumnSpec> columns =
                request.columns().stream().map(this::columnOrNull).toList();
        List<Expression> fileConditions = open.stream()
                .filter(c -> Expressions.columns(c).stream().noneMatch(partitionPositions::contains))
                .toList();
        return pack(exact, open, columns, fileConditions);
    }

    private Set<Integer> partitionPositions() {
        Set<Integer> positions = new HashSet<>();
        for (int i = 0; i < request.columns().size(); i++) {
            if (request.columns().get(i) >= fileColumnCount) {
                positions.add(i);
            }
        }
        return positions;
    }

    /** The column of the files that is wanted at a place, or null for a partition column. */
    private ColumnSpec columnOrNull(int index) {
        return index < fileColumnCount ? dataset.fileColumns().get(index) : null;
    }

    private ScanPlan pack(
            List<Expression> exact, List<Expression> open, List<ColumnSpec> columns, List<Expression> fileConditions) {
        long files = 0;
        long bytes = 0;
        long skippedFiles = 0;
        long skippedBytes = 0;
        long rows = 0;
        Map<List<Object>, Boolean> wanted = new HashMap<>();
        Packer packer = new Packer();
        for (PartitionedFile file : dataset.files()) {
            boolean partitionWanted = wanted.computeIfAbsent(file.partition(), p -> matches(p, exact));
            Pieces pieces = partitionWanted
                    ? dataset.format().pieces(file.file(), columns, fileConditions, request.targetSplitBytes())
                    : new Pieces(List.of(), file.file().bytes(), 0);
            if (pieces.pieces().isEmpty()) {
                skippedFiles += file.file().bytes() == 0 ? 0 : 1;
                skippedBytes += file.file().bytes();
                continue;
            }
            files++;
            skippedBytes += pieces.skippedBytes();
            rows = rows < 0 || pieces.rows() < 0 ? -1 : rows + pieces.rows();
            for (Piece piece : pieces.pieces()) {
                bytes += piece.bytes();
                packer.add(new DatasetSplit.Entry(piece, file.partition()));
            }
        }
        List<String> warnings = new ArrayList<>(dataset.warnings());
        if (!exact.isEmpty() && wanted.values().stream().noneMatch(w -> w)) {
            warnings.add(nothingFits(exact));
        }
        return new ScanPlan(packer.splits(), files, bytes, skippedFiles, skippedBytes, rows, open, warnings);
    }

    /** A mistyped day reads nothing, which looks as if there were no rows for it. */
    private String nothingFits(List<Expression> exact) {
        List<PartitionedFile> files = dataset.files();
        long partitions =
                files.stream().map(PartitionedFile::partition).distinct().count();
        String from = shown(files.get(0).partition());
        String to = shown(files.get(files.size() - 1).partition());
        return "no partition of " + dataset.name() + " fulfils "
                + exact.stream().map(Expression::toString).collect(Collectors.joining(" and ")) + "; there "
                + (partitions == 1 ? "is one, " + from : "are " + partitions + ", from " + from + " to " + to);
    }

    private String shown(List<Object> partition) {
        List<String> values = new ArrayList<>();
        for (int i = 0; i < partition.size(); i++) {
            String value = partition.get(i) == null ? "null" : Values.text(partition.get(i));
            values.add(dataset.partitionFields().get(i).name() + "=" + value);
        }
        return String.join("/", values);
    }

    /** Whether the conditions hold for the values of a partition. */
    private boolean matches(List<Object> partition, List<Expression> exact) {
        if (exact.isEmpty()) {
            return true;
        }
        Column[] columns = new Column[request.columns().size()];
        for (int i = 0; i < columns.length; i++) {
            int index = request.columns().get(i);
            Field field = dataset.schema().field(index);
            ColumnBuilder one = ColumnBuilder.of(field.type());
            Values.append(one, index < fileColumnCount ? null : partition.get(index - fileColumnCount));
            columns[i] = one.build();
        }
        Batch row = new Batch(1, columns);
        Evaluator evaluator = new Evaluator();
        return exact.stream().allMatch(c -> evaluator.filter(c, row).rowCount() == 1);
    }

    /** Collects pieces into splits: as few as the target size allows, and those as even as the order of the pieces allows. */
    private final class Packer {
        private final DatasetSplit.Reading reading = new DatasetSplit.Reading(
                dataset.format(),
                dataset.spec().options(),
                dataset.fileColumns(),
                dataset.schema(),
                request.columns(),
                dataset.spec().columns().isEmpty());
        private final List<DatasetSplit.Entry> entries = new ArrayList<>();

        void add(DatasetSplit.Entry entry) {
            entries.add(entry);
        }

        private long cost(int entry) {
            return entries.get(entry).piece().bytes() + FILE_COST;
        }

        /** Where the split ends that begins with an entry; it has this one at least. */
        private int end(int from, long most) {
            int end = from + 1;
            for (long cost = cost(from); end < entries.size() && cost + cost(end) <= most; end++) {
                cost += cost(end);
            }
            return end;
        }

        private int count(long most) {
            int count = 0;
            for (int from = 0; from < entries.size(); from = end(from, most)) {
                count++;
            }
            return count;
        }

        /** The least bound of a split with which there are no more of them than with the target size. */
        private long evenBound() {
            long most = request.targetSplitBytes() + FILE_COST;
            int fewest = count(most);
            long least = FILE_COST;
            while (least < most) {
                long middle = (least + most) >>> 1;
                if (count(middle) <= fewest) {
                    most = middle;
                } else {
                    least = middle + 1;
                }
            }
            return most;
        }

        List<Split> splits() {
            List<Split> splits = new ArrayList<>();
            long most = evenBound();
            for (int from = 0; from < entries.size(); ) {
                int end = end(from, most);
                splits.add(new DatasetSplit(reading, List.copyOf(entries.subList(from, end))));
                from = end;
            }
            return splits;
        }
    }
}
