package org.unimeros.insight.diagnosis;

import java.util.List;
import java.util.Optional;
import org.unimeros.engine.run.RunEvent.PartsMade;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.diagnosis.Finding.Sureness;
import org.unimeros.insight.diagnosis.RunHistory.Ran;

/** Joins that make more rows, or move more of them, than they need to. */
final class JoinRules {

    private static final double MANY_PAIRS = 4;
    private static final long LEAST_PAIRS = 1_000_000;

    /** A side of so many packed bytes fits beside every task of most processes. */
    private static final long SMALL_SIDE = 16 << 20;

    /** The larger side has so many times the rows of the smaller one. */
    private static final int MUCH_LARGER = 10;

    /** Rows in memory take so many times the bytes that they have in parts, packed. */
    private static final int UNPACKED = 4;

    private JoinRules() {}

    /** A join that makes many more rows than it takes. */
    static Optional<Finding> pairs(Facts facts, StageFacts stage) {
        List<Node> nodes = stage.nodes();
        for (int i = 1; i < nodes.size() - 1; i++) {
            if (!nodes.get(i).kind().equals("probe")) {
                continue;
            }
            long in = stage.history().step(nodes.get(i).id()).rows();
            long out = stage.history().step(nodes.get(i + 1).id()).rows();
            if (out < LEAST_PAIRS || out < MANY_PAIRS * in) {
                continue;
            }
            long all = nodes.stream()
                    .mapToLong(n -> stage.history().step(n.id()).nanos())
                    .sum();
            long behind = nodes.subList(i, nodes.size()).stream()
                    .mapToLong(n -> stage.history().step(n.id()).nanos())
                    .sum();
            double left = 1 - (double) behind / Math.max(1, all) * (1 - (double) in / out);
            long gain = facts.gain(stage, times -> Replay.scaled(times, left));
            if (facts.matters(gain)) {
                return Optional.of(new Finding(
                        "many-pairs",
                        "a join made " + Sizes.count(out, "row") + " out of " + Sizes.count(in),
                        Math.round(10.0 * out / Math.max(1, in)) / 10.0 + " for each, in " + stage.name() + ", with "
                                + Facts.percent(behind, all) + " of its time",
                        nodes.get(i).text() + ": its keys repeat on both sides",
                        "join by more columns, leave out rows that repeat before the join (distinct, group by), or"
                                + " summarise each side by the keys and join the sums",
                        gain,
                        Sureness.LIKELY));
            }
        }
        return Optional.empty();
    }

    /** A join of which both sides are shuffled, although one of them is so small that every task could have it. */
    static Optional<Finding> shuffledSide(Facts facts, StageFacts stage) {
        List<PartsMade> read = stage.outline().reads().stream()
                .flatMap(s -> facts.history().parts(s).stream())
                .sorted((a, b) -> Long.compare(rows(a), rows(b)))
                .toList();
        Optional<Node> join = stage.pipeline().steps().stream()
                .filter(n -> n.kind().equals("probe") && n.text().contains("over the copy limit"))
                .findFirst();
        // A key that is frequent is told by the task that has it, and with the same change.
        boolean isUneven = stage.slowest().millis() >= 2 * Math.max(1, stage.medianMillis());
        if (read.size() != 2 || join.isEmpty() || !stage.readsParts() || isUneven) {
            return Optional.empty();
        }
        PartsMade smaller = read.get(0);
        PartsMade larger = read.get(1);
        long bytes = smaller.bytes().stream().mapToLong(Long::longValue).sum();
        if (bytes > SMALL_SIDE || rows(larger) < MUCH_LARGER * rows(smaller)) {
            return Optional.empty();
        }
        // Rows of the larger side would neither be divided nor taken from parts.
        long gain = facts.gain(stage, times -> Replay.less(times, millisIn(stage, stage.source())));
        Optional<StageFacts> dividing = facts.stages().stream()
                .filter(s -> s.history().id() == larger.stage())
                .findFirst();
        if (dividing.isPresent()) {
            StageFacts before = dividing.get();
            int output = before.outline().output().id();
            gain += facts.gain(before, times -> Replay.less(times, millisIn(before, output)));
        }
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        return Optional.of(new Finding(
                "shuffled-side",
                Sizes.count(rows(larger), "row") + " were shuffled to be joined with " + Sizes.count(rows(smaller)),
                "the smaller side has " + Sizes.bytes(bytes) + " packed, in " + stage.name(),
                join.get().text(),
                "set join.copy-limit to " + Math.max(1, UNPACKED * bytes >> 20)
                        + "MB, so that every task has the smaller side and the larger one stays where it is",
                gain,
                Sureness.LIKELY));
    }

    private static long rows(PartsMade parts) {
        return parts.rows().stream().mapToLong(Long::longValue).sum();
    }

    private static long[] millisIn(StageFacts stage, int node) {
        return stage.history().ran().stream()
                .mapToLong((Ran r) -> r.step(node).nanos() / 1_000_000)
                .toArray();
    }
}
