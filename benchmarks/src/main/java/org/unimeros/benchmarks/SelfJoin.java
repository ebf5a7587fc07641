package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;

/**
 * Scans of the same container put side by side, where a few containers have very many: pairs are counted and their distances
 * in weight summed by the kinds of both, which cannot be had without making the pairs. The hand-written program sorts rows
 * into containers by counting and goes through the pairs of each in two plain loops.
 */
final class SelfJoin extends Entry {

    private static final int CONTAINERS = 5000;
    private static final int HOT = 10;
    private static final int KINDS = 5;
    private static final long MEMORY = 4L << 30;

    private final Path folder;
    private final int rows;
    private long[] containers;
    private long[] kinds;
    private long[] weights;
    private MemoryTable scans;

    SelfJoin(Path folder, int rows) {
        super(
                "skewed-self-join",
                String.format("%,d skewed rows in memory joined with themselves, pairs aggregated", rows),
                rows,
                null);
        this.folder = folder;
        this.rows = rows;
    }

    /** Two sevenths of the rows belong to ten containers. */
    @Override
    void prepare() {
        SplittableRandom random = new SplittableRandom(17);
        containers = new long[rows];
        kinds = new long[rows];
        weights = new long[rows];
        for (int i = 0; i < rows; i++) {
            int container = random.nextInt(7) < 2 ? random.nextInt(HOT) : random.nextInt(CONTAINERS);
            containers[i] = container * 7919L;
            kinds[i] = random.nextInt(KINDS);
            weights[i] = random.nextInt(31_000);
        }
    }

    @Override
    void prepareOurs() {
        scans = new MemoryTable("scans", List.of("container_id", "kind", "weight_g"), containers, kinds, weights);
    }

    @Override
    Object ours(int slots) {
        String sql = "select a.kind, b.kind as other, count(*) as pairs, sum(abs(a.weight_g - b.weight_g)) as apart"
                + " from scans a join scans b on a.container_id = b.container_id group by a.kind, b.kind"
                + " order by a.kind, b.kind";
        List<Long> answer = new ArrayList<>();
        for (Batch batch : MemoryTable.query(sql, Map.of("scans", scans), slots, MEMORY, folder.resolve("scratch"))) {
            for (int i = 0; i < batch.rowCount(); i++) {
                answer.add(((LongColumn) batch.column(2)).values()[i]);
                answer.add(((LongColumn) batch.column(3)).values()[i]);
            }
        }
        return answer;
    }

    @Override
    Object handWritten(int threads) throws Exception {
        int[] starts = new int[CONTAINERS + 1];
        for (long container : containers) {
            starts[(int) (container / 7919) + 1]++;
        }
        for (int c = 0; c < CONTAINERS; c++) {
            starts[c + 1] += starts[c];
        }
        long[] sortedWeights = new long[rows];
        int[] sortedKinds = new int[rows];
        int[] next = starts.clone();
        for (int i = 0; i < rows; i++) {
            int at = next[(int) (containers[i] / 7919)]++;
            sortedWeights[at] = weights[i];
            sortedKinds[at] = (int) kinds[i];
        }
        List<long[]> parts = Threads.each(threads, t -> {
            long[] figures = new long[KINDS * KINDS * 2];
            for (int c = 0; c < CONTAINERS; c++) {
                int end = starts[c + 1];
                // Rows of one container are shared out as well, so that a large one does not keep one thread.
                for (int i = starts[c] + t; i < end; i += threads) {
                    long weight = sortedWeights[i];
                    int kind = sortedKinds[i] * KINDS;
                    for (int k = starts[c]; k < end; k++) {
                        int at = kind + sortedKinds[k] << 1;
                        figures[at]++;
                        figures[at + 1] += Math.abs(weight - sortedWeights[k]);
                    }
                }
            }
            return figures;
        });
        long[] all = new long[KINDS * KINDS * 2];
        for (long[] part : parts) {
            for (int i = 0; i < all.length; i++) {
                all[i] += part[i];
            }
        }
        return Arrays.stream(all).boxed().toList();
    }
}
