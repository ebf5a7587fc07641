package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.NavigableMap;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentSkipListMap;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Measured;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.schedule.TaskInput.Rows;
import org.unimeros.engine.sort.SortedRuns;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.Stage;

/**
 * What finished stages made, by stage and task. Readers see the tasks in the order of their numbers, so that the order of
 * rows does not depend on which task was first.
 */
public final class Exchange implements Measured {

    /** Frequent keys that are told of a stage. */
    private static final int MOST_KEYS = 5;

    /** A result and the attempt that made it. */
    public record Kept(AttemptId attempt, TaskResult result) {}

    private final Reading reading;
    private final Map<Integer, NavigableMap<Integer, Kept>> results = new TreeMap<>();
    private final Map<Integer, Integer> versions = new HashMap<>();

    /** Is told of chunks before they are read, and can have them fetched ahead. */
    public interface Reading {

        /** Chunks that one task reads, one after the other. */
        List<Chunk> inTurn(List<Chunk> chunks);

        /** All chunks of a stage, which every process that has tasks of another one reads once. */
        default List<Chunk> everywhere(int stage, List<Chunk> chunks) {
            return inTurn(chunks);
        }
    }

    public Exchange() {
        this(chunks -> chunks);
    }

    public Exchange(Reading reading) {
        this.reading = reading;
    }

    /** Keeps the result of a task, in the place of an earlier one. */
    public synchronized void keep(AttemptId attempt, TaskResult result) {
        results.computeIfAbsent(attempt.stage(), s -> new ConcurrentSkipListMap<>())
                .put(attempt.task(), new Kept(attempt, result));
        versions.merge(attempt.stage(), 1, Integer::sum);
    }

    /** Keeps all results of a stage, in the place of earlier ones. */
    public synchronized void keepAll(int stage, List<Kept> all) {
        NavigableMap<Integer, Kept> byTask = new ConcurrentSkipListMap<>();
        all.forEach(kept -> byTask.put(kept.attempt().task(), kept));
        results.put(stage, byTask);
        versions.merge(stage, 1, Integer::sum);
    }

    /** The results of a stage, by task. */
    public synchronized List<Kept> kept(int stage) {
        NavigableMap<Integer, Kept> byTask = results.get(stage);
        return byTask == null ? List.of() : List.copyOf(byTask.values());
    }

    /** Grows with every change of the results of a stage. */
    public synchronized int version(int stage) {
        return versions.getOrDefault(stage, 0);
    }

    /** Lets readers know that what a stage made is somewhere else, or at more places. */
    public synchronized void touch(int stage) {
        versions.merge(stage, 1, Integer::sum);
    }

    List<TaskResult> results(int stage) {
        return kept(stage).stream().map(Kept::result).toList();
    }

    /** The rows of a range of parts: part by part, within a part task by task. */
    List<Chunk> chunks(int stage, PartRange range) {
        return reading.inTurn(plain(stage, range));
    }

    /** All rows of a stage, which other processes read as well. */
    List<Chunk> allChunks(int stage, int parts) {
        return reading.everywhere(stage, plain(stage, new PartRange(0, parts)));
    }

    /** Some rows of a part. */
    List<Chunk> chunks(Rows.OfPiece piece) {
        List<Chunk> whole = new ArrayList<>();
        List<Long> skipped = new ArrayList<>();
        List<Long> ends = new ArrayList<>();
        for (Kept kept : kept(piece.stage())) {
            int task = kept.attempt().task();
            long from = task < piece.from().task()
                    ? Long.MAX_VALUE
                    : task == piece.from().task() ? piece.from().row() : 0;
            long end = task > piece.end().task()
                    ? 0
                    : task == piece.end().task() ? piece.end().row() : Long.MAX_VALUE;
            long at = 0;
            for (Chunk chunk : kept.result().parts().get(piece.part()).chunks()) {
                if (at < end && at + chunk.rows() > from) {
                    whole.add(chunk);
                    skipped.add(Math.max(0, from - at));
                    ends.add(Math.min(chunk.rows(), end - at));
                }
                at += chunk.rows();
            }
        }
        List<Chunk> read = reading.inTurn(whole);
        List<Chunk> some = new ArrayList<>();
        for (int i = 0; i < read.size(); i++) {
            int from = skipped.get(i).intValue();
            some.add(read.get(i).slice(from, ends.get(i).intValue() - from));
        }
        return some;
    }

    private List<Chunk> plain(int stage, PartRange range) {
        List<TaskResult> tasks = results(stage);
        List<Chunk> all = new ArrayList<>();
        for (int p = range.from(); p < range.end(); p++) {
            for (TaskResult result : tasks) {
                all.addAll(result.parts().get(p).chunks());
            }
        }
        return all;
    }

    @Override
    public SortedRuns sorted(int stage, List<SortKey> keys) {
        return new SortedRuns(results(stage), keys);
    }

    /** What a range has of each of the sorted rows of a stage. */
    List<SortedRuns.Piece> pieces(int stage, List<SortKey> keys, SortedRuns.Range range) {
        return sorted(stage, keys).pieces(range).stream()
                .map(p -> new SortedRuns.Piece(reading.inTurn(p.chunks()), p.low(), p.high()))
                .toList();
    }

    /** What a stage has divided its rows into; empty where it has not. */
    Optional<RunEvent.PartsMade> partsMade(Stage stage, long at) {
        if (!(stage.output() instanceof Output.ToParts output) || output.parts() == 1) {
            return Optional.empty();
        }
        long[] rows = new long[output.parts()];
        long[] bytes = new long[output.parts()];
        for (TaskResult result : results(stage.id())) {
            for (int p = 0; p < rows.length; p++) {
                rows[p] += result.parts().get(p).rows();
                bytes[p] += result.parts().get(p).bytes();
            }
        }
        List<RunEvent.KeyCount> keys = KeySketch.merged(sketches(stage.id())).values().stream()
                .sorted(Comparator.comparingLong(KeySketch.Frequent::count)
                        .reversed()
                        .thenComparing(KeySketch.Frequent::text))
                .limit(MOST_KEYS)
                .map(key -> new RunEvent.KeyCount(key.text(), key.count()))
                .toList();
        return Optional.of(new RunEvent.PartsMade(at, stage.id(), boxed(rows), boxed(bytes), keys));
    }

    private static List<Long> boxed(long[] numbers) {
        return Arrays.stream(numbers).boxed().toList();
    }

    @Override
    public void addBytes(int stage, long[] bytes) {
        for (TaskResult result : results(stage)) {
            for (int p = 0; p < bytes.length; p++) {
                Part part = result.parts().get(p);
                bytes[p] += part.bytes();
            }
        }
    }

    @Override
    public List<Made> made(int stage, int part) {
        return kept(stage).stream()
                .map(kept -> new Made(
                        kept.attempt().task(), kept.result().parts().get(part).rows()))
                .toList();
    }

    @Override
    public List<KeySketch> sketches(int stage) {
        return results(stage).stream()
                .map(TaskResult::sketch)
                .filter(sketch -> sketch != null)
                .toList();
    }

    @Override
    public long rows(int stage) {
        return results(stage).stream().mapToLong(TaskResult::rows).sum();
    }

    @Override
    public long bytes(int stage) {
        return results(stage).stream()
                .flatMap(result -> result.parts().stream())
                .mapToLong(Part::bytes)
                .sum();
    }

    /** Lets go of what a stage made. */
    public void drop(int stage) {
        NavigableMap<Integer, Kept> dropped;
        synchronized (this) {
            dropped = results.remove(stage);
            versions.merge(stage, 1, Integer::sum);
        }
        if (dropped != null) {
            dropped.values().forEach(kept -> close(kept.result()));
        }
    }

    /** Gives back what a result holds in this process. */
    public static void close(TaskResult result) {
        if (result.store() != null) {
            result.store().close();
        }
    }
}
