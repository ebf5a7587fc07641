package org.unimeros.engine.schedule;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.unimeros.engine.key.Hashing;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.key.KeySketch.Frequent;
import org.unimeros.engine.schedule.Measured.Made;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.schedule.TaskInput.Place;
import org.unimeros.engine.schedule.TaskInput.Rows;
import org.unimeros.engine.stage.Cutting;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/**
 * Divides the parts that a pipeline reads among tasks, by the work that they are: the bytes of all inputs, and the pairs that frequent keys of a
 * first join will make. Small parts are put together. A large one is cut, where {@link Cutting} allows it, into pieces of the rows that go
 * through, of the other side of the join, or of both, which is a grid; as many as bring a piece to the target, and no more than make all pieces
 * together read {@value #MOST_READ} times what the whole would.
 *
 * <p>Where tasks that are run again make their rows in the same order, a piece begins at any row; else it begins where a task's rows do, so that
 * a result that was lost and made again is divided as before.
 */
final class PartTasks {

    /** A part that is larger than the target by less than this factor stays whole. */
    private static final double TOLERANCE = 1.5;

    private static final int MOST_READ = 2;
    private static final int MOST_PIECES = 4096;
    /** A pair is work like so many bytes that are read. */
    private static final int PAIR_BYTES = 4;

    private static final int SHOWN_PARTS = 3;
    private static final int SHOWN_KEYS = 2;

    /** What a task reads: the rows that go through, and, where these are not all, those of the other side of the first step. */
    record Reads(Rows rows, Rows side) {
        /** The parts that they belong to. */
        PartRange parts() {
            return rows instanceof Rows.OfPiece piece
                    ? new PartRange(piece.part(), piece.part() + 1)
                    : ((Rows.OfParts) rows).parts();
        }
    }

    /** What tasks read, and what was decided, in words. */
    record Divided(List<Reads> tasks, boolean isCut, List<String> decisions) {}

    private final PhysicalPlan plan;
    private final Measured made;
    private final long target;

    PartTasks(PhysicalPlan plan, Measured made, long targetBytes) {
        this.plan = plan;
        this.made = made;
        this.target = targetBytes;
    }

    private Map<Long, Frequent> frequent(int stage) {
        return KeySketch.merged(made.sketches(stage));
    }

    Divided divide(Stage.Pipeline pipeline, Source.Parts parts) {
        Work work = new Work(pipeline, parts);
        List<Reads> tasks = new ArrayList<>();
        List<Cut> cuts = new ArrayList<>();
        int from = 0;
        for (int p = 0; p < work.all.length; p++) {
            Cut cut = cut(work, p);
            if (cut != null) {
                addWhole(work, from, p, tasks);
                from = p + 1;
                tasks.addAll(cut.reads);
                cuts.add(cut);
            }
        }
        addWhole(work, from, work.all.length, tasks);
        return new Divided(tasks, !cuts.isEmpty(), decisions(work, cuts));
    }

    /** Neighbouring parts for tasks of about the target size. */
    private void addWhole(Work work, int from, int end, List<Reads> tasks) {
        if (from < end) {
            long[] sizes = Arrays.copyOfRange(work.all, from, end);
            for (PartRange range : Replanner.merge(sizes, target)) {
                PartRange moved = new PartRange(range.from() + from, range.end() + from);
                tasks.add(new Reads(new Rows.OfParts(work.stage, moved), null));
            }
        }
    }

    /** A part and its pieces. */
    private record Cut(int part, int rowPieces, int sidePieces, List<Reads> reads) {}

    /** The pieces of a part; null where it stays whole. */
    private Cut cut(Work work, int part) {
        if (target == 0 || work.cutting.isNone() || work.all[part] <= target * TOLERANCE) {
            return null;
        }
        Grid grid = work.grid(part);
        List<Rows> rows = grid.rows > 1 ? pieces(work.stage, part, grid.rows) : List.of();
        List<Rows> sides = grid.side > 1 ? pieces(work.firstSide, part, grid.side) : List.of();
        if (rows.size() < 2 && sides.size() < 2) {
            return null;
        }
        Rows whole = new Rows.OfParts(work.stage, new PartRange(part, part + 1));
        List<Reads> reads = new ArrayList<>();
        for (Rows row : rows.size() < 2 ? List.of(whole) : rows) {
            if (sides.size() < 2) {
                reads.add(new Reads(row, null));
            } else {
                sides.forEach(side -> reads.add(new Reads(row, side)));
            }
        }
        return new Cut(part, Math.max(1, rows.size()), Math.max(1, sides.size()), reads);
    }

    /** About so many pieces with about as many rows each. */
    private List<Rows> pieces(int stage, int part, int wanted) {
        List<Made> byTask = made.made(stage, part);
        boolean anywhere = plan.stage(stage).hasFixedOrder();
        long rows = byTask.stream().mapToLong(Made::rows).sum();
        List<Place> places = new ArrayList<>();
        places.add(new Place(0, 0));
        long before = 0;
        int next = 1;
        for (Made one : byTask) {
            long end = before + one.rows();
            while (next < wanted && end > rows * next / wanted) {
                long at = rows * next / wanted - before;
                boolean isNearEnd = at > one.rows() / 2;
                Place place =
                        anywhere ? new Place(one.task(), at) : new Place(isNearEnd ? one.task() + 1 : one.task(), 0);
                if (!place.equals(places.getLast())) {
                    places.add(place);
                }
                next++;
            }
            before = end;
        }
        places.add(Place.END);
        // Nothing may be left behind the last task.
        int last = byTask.isEmpty() ? 0 : byTask.getLast().task();
        places.removeIf(place -> place.task() > last && !place.equals(Place.END));
        List<Rows> pieces = new ArrayList<>();
        for (int i = 1; i < places.size(); i++) {
            pieces.add(new Rows.OfPiece(stage, part, places.get(i - 1), places.get(i), i, places.size() - 1));
        }
        return pieces;
    }

    private static List<String> decisions(Work work, List<Cut> cuts) {
        List<Cut> largest = cuts.stream()
                .sorted(Comparator.comparingLong((Cut cut) -> work.all[cut.part])
                        .reversed())
                .toList();
        List<String> texts = new ArrayList<>();
        for (Cut cut : largest.subList(0, Math.min(SHOWN_PARTS, largest.size()))) {
            String pieces = cut.sidePieces == 1
                    ? cut.rowPieces + " pieces"
                    : cut.rowPieces == 1
                            ? cut.sidePieces + " pieces of the other side"
                            : cut.rowPieces + " by " + cut.sidePieces + " pieces";
            texts.add("part " + cut.part + " is cut into " + pieces + work.keysOf(cut.part));
        }
        if (largest.size() > SHOWN_PARTS) {
            texts.add(Sizes.count(largest.size() - SHOWN_PARTS, "more part") + " cut as well");
        }
        return texts;
    }

    /** Into how many pieces the rows that go through are cut, and the other side. */
    private record Grid(int rows, int side) {}

    /** What is to be done for each part. */
    private final class Work {
        private final int stage;
        private final int firstSide;
        private final Cutting cutting;
        private final long[] rows;
        private final long[] side;
        private final long[] others;
        private final double[] pairs;
        private final long[] all;
        private final Map<Long, Frequent> ofRows;
        private final Map<Long, Frequent> ofSide;

        Work(Stage.Pipeline pipeline, Source.Parts parts) {
            int count = ((Output.ToParts) plan.stage(parts.stage()).output()).parts();
            Step.Probe first = first(pipeline);
            this.stage = parts.stage();
            this.firstSide = first == null ? 0 : first.buildStage();
            this.cutting = Cutting.of(pipeline);
            this.rows = new long[count];
            this.side = new long[count];
            this.others = new long[count];
            this.pairs = new double[count];
            this.all = new long[count];
            made.addBytes(stage, rows);
            for (Step.Probe join : pipeline.joins().values()) {
                if (!join.copied()) {
                    made.addBytes(join.buildStage(), join == first ? side : others);
                }
            }
            boolean counts = first != null
                    && (first.kind().hasRight() || first.condition().isPresent());
            this.ofRows = counts ? frequent(stage) : Map.of();
            this.ofSide = counts ? frequent(firstSide) : Map.of();
            ofRows.forEach((hash, key) -> {
                Frequent partner = ofSide.get(hash);
                if (partner != null) {
                    pairs[Hashing.part(hash, count)] += (double) key.count() * partner.count() * PAIR_BYTES;
                }
            });
            for (int p = 0; p < count; p++) {
                all[p] = (long) Math.min(Long.MAX_VALUE / count, rows[p] + side[p] + others[p] + pairs[p]);
            }
        }

        /** The join that is the first step, where it has the parts of another stage as its other side. */
        private static Step.Probe first(Stage.Pipeline pipeline) {
            return !pipeline.steps().isEmpty() && pipeline.steps().get(0) instanceof Step.Probe join && !join.copied()
                    ? join
                    : null;
        }

        /** The fewest pieces that are small enough, as long as they do not read too much together. */
        Grid grid(int part) {
            Grid grid = new Grid(1, 1);
            while (all(part, grid) / (grid.rows * grid.side) > target && grid.rows * grid.side < MOST_PIECES) {
                Grid byRows = new Grid(grid.rows + 1, grid.side);
                Grid bySide = new Grid(grid.rows, grid.side + 1);
                // Pieces that read as much of the one as of the other are the ones that read least.
                boolean rowsFirst = rows[part] / grid.rows >= side[part] / grid.side;
                Optional<Grid> finer = Stream.of(rowsFirst ? byRows : bySide, rowsFirst ? bySide : byRows)
                        .filter(g -> g == byRows ? cutting.rows() : cutting.side())
                        .filter(g -> all(part, g) <= (double) MOST_READ * all[part])
                        .findFirst();
                if (finer.isEmpty()) {
                    return grid;
                }
                grid = finer.get();
            }
            return grid;
        }

        /** What all pieces are together. */
        private double all(int part, Grid grid) {
            return (double) rows[part] * grid.side
                    + (double) side[part] * grid.rows
                    + (double) others[part] * grid.rows * grid.side
                    + pairs[part];
        }

        /** The frequent keys of a part, those that make most work first. */
        String keysOf(int part) {
            int count = all.length;
            List<String> keys = ofRows.entrySet().stream()
                    .filter(e -> Hashing.part(e.getKey(), count) == part)
                    .sorted(Comparator.comparingLong((Map.Entry<Long, Frequent> e) -> work(e))
                            .reversed()
                            .thenComparing(e -> e.getValue().text()))
                    .limit(SHOWN_KEYS)
                    .map(e -> "key " + e.getValue().text() + " has "
                            + Sizes.count(e.getValue().count(), "row")
                            + (ofSide.containsKey(e.getKey())
                                    ? ", by "
                                            + Sizes.count(ofSide.get(e.getKey()).count())
                                    : ""))
                    .toList();
            return keys.isEmpty() ? "" : ": " + String.join("; ", keys);
        }

        private long work(Map.Entry<Long, Frequent> key) {
            Frequent partner = ofSide.get(key.getKey());
            return key.getValue().count() * (partner == null ? 1 : partner.count());
        }
    }
}
