package org.unimeros.insight.diagnosis;

import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.unimeros.engine.run.RunEvent.KeyCount;
import org.unimeros.engine.run.RunEvent.PartsMade;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.diagnosis.Finding.Place;
import org.unimeros.insight.diagnosis.Finding.Sureness;
import org.unimeros.insight.diagnosis.RunHistory.Ran;

/** Whether the tasks of a stage fit the slots: too few of them, uneven ones, too small ones. */
final class TaskRules {

    /** What a task costs in the slot that runs it, besides its work. */
    private static final long TASK_MICROS = 600;
    /** The setting that lets parts be cut. */
    private static final String CUT = "shuffle.cut";

    private static final Set<String> NEED_ROWS_TOGETHER = Set.of("final-group", "whole-group", "window", "reduce");

    private TaskRules() {}

    /** A stage that has fewer tasks than there are slots. */
    static Optional<Finding> fewTasks(Facts facts, StageFacts stage) {
        int tasks = stage.history().ran().size();
        if (tasks >= facts.slots()) {
            return Optional.empty();
        }
        Ran slowest = stage.slowest();
        boolean isGz = slowest.input().contains(".gz");
        long bytes = stage.history().step(stage.source()).bytes();
        if (stage.readsTable() && !isGz && bytes < StageFacts.SMALL_FILE) {
            // too small to be cut
            return Optional.empty();
        }
        long gain = facts.gain(stage, times -> Replay.evenly(times, facts.slots()));
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        boolean isOrdered =
                stage.pipeline().steps().stream().anyMatch(n -> n.kind().equals("window"));
        String cause;
        String change;
        if (stage.readsTable()) {
            cause = isGz
                    ? slowest.input() + " is compressed as a whole and can only be read from its start"
                    : stage.pipeline().source().text();
            change = isGz
                    ? "write it once as Parquet, or as several files, and read that"
                    : "set split.target to " + target(bytes, facts.slots());
        } else if (isOrdered) {
            cause = "all rows are in one window: " + texts(stage, "window");
            change = "give the window columns to partition by, where the job allows it";
        } else if (slowest.input().startsWith("parts ")) {
            cause = slowest.input() + " were put together, since they are smaller than shuffle.part-target";
            change = "set shuffle.part-target to " + target(partBytes(facts, stage), facts.slots());
        } else {
            cause = "all rows are gathered for " + stage.nodes().get(1).text();
            change = "make fewer rows before it, or leave out what needs all rows in one place";
        }
        return Optional.of(new Finding(
                "few-tasks",
                stage.name() + " ran in " + Sizes.count(tasks, "task") + " while there are "
                        + Sizes.count(facts.slots(), "slot"),
                "it took " + Sizes.millis(stage.wallMillis()) + " of " + Sizes.millis(facts.millis()) + " for "
                        + Sizes.count(stage.rows(), "row"),
                cause,
                change,
                gain,
                isGz ? Sureness.SURE : Sureness.LIKELY));
    }

    private static long partBytes(Facts facts, StageFacts stage) {
        return stage.outline().reads().stream()
                .flatMap(read -> facts.history().parts(read).stream())
                .flatMap(parts -> parts.bytes().stream())
                .mapToLong(Long::longValue)
                .sum();
    }

    /** A size that makes about two tasks for each slot. */
    private static String target(long bytes, int slots) {
        long each = Math.max(64 << 10, bytes / (2L * slots));
        return each >= 1 << 20 ? (each >> 20) + "MB" : (each >> 10) + "kB";
    }

    private static String texts(StageFacts stage, String kind) {
        return stage.pipeline().steps().stream()
                .filter(n -> n.kind().equals(kind))
                .map(Node::text)
                .findFirst()
                .orElse("");
    }

    /** A stage whose tasks take very different times. */
    static Optional<Finding> uneven(Facts facts, StageFacts stage) {
        int tasks = stage.history().ran().size();
        if (tasks < 2) {
            return Optional.empty();
        }
        Ran slowest = stage.slowest();
        long mean = stage.history().taskMillis() / tasks;
        // Even tasks cannot take less than an equal share of each slot; most stages are done with here, without a
        // replay.
        long most = stage.wallMillis() - stage.history().taskMillis() / facts.slots();
        if (slowest.millis() < 2 * Math.min(mean, Math.max(1, stage.medianMillis())) || !facts.matters(most)) {
            return Optional.empty();
        }
        long gain = facts.gain(stage, times -> Replay.evenly(times, Math.max(tasks, facts.slots())));
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        Optional<Finding> byWorker = slowWorker(stage, gain);
        if (byWorker.isPresent()) {
            return byWorker;
        }
        boolean byRows = stage.rows(slowest) * tasks > 1.5 * stage.rows();
        String what = "one of " + Sizes.count(tasks, "task") + " of " + stage.name() + " took "
                + Sizes.millis(slowest.millis()) + ", the middle one " + Sizes.millis(stage.medianMillis());
        String evidence = "it had " + Sizes.count(stage.rows(slowest), "row") + " of " + Sizes.count(stage.rows())
                + " (" + Facts.percent(stage.rows(slowest), stage.rows()) + "): " + slowest.input();
        if (!byRows) {
            Node heaviest = heaviest(stage, slowest);
            return Optional.of(new Finding(
                    "uneven-tasks",
                    what,
                    evidence,
                    "its rows took longer than those of others, most of it in: " + heaviest.text(),
                    "look at the rows of " + slowest.input()
                            + "; where they make many others, see the findings on joins",
                    gain,
                    Sureness.POSSIBLE,
                    Place.attempt(slowest.span())));
        }
        Finding byData = stage.readsParts()
                ? hotPart(facts, stage, what, evidence, gain)
                : new Finding(
                        "uneven-splits",
                        what,
                        evidence,
                        slowest.input().contains(".gz")
                                ? slowest.input() + " is compressed as a whole and cannot be cut"
                                : slowest.input() + " is larger than other splits, or its rows are shorter",
                        "write the dataset anew in files of like size, as Parquet where it is text",
                        gain,
                        Sureness.LIKELY);
        return Optional.of(byData.at(Place.attempt(slowest.span())));
    }

    /** Whether the rows of a part could have been divided among several tasks. */
    private static boolean mayBeCut(StageFacts stage) {
        List<String> kinds = stage.pipeline().steps().stream().map(Node::kind).toList();
        return kinds.contains("probe") && kinds.stream().noneMatch(NEED_ROWS_TOGETHER::contains);
    }

    private static Finding hotPart(Facts facts, StageFacts stage, String what, String evidence, long gain) {
        List<PartsMade> read = stage.outline().reads().stream()
                .flatMap(s -> facts.history().parts(s).stream())
                .toList();
        PartsMade largest =
                read.stream().max(Comparator.comparingLong(TaskRules::rows)).orElse(null);
        KeyCount key = largest == null || largest.keys().isEmpty()
                ? null
                : largest.keys().get(0);
        boolean isKey = key != null && key.rows() * 10 > rows(largest);
        String divided = largest == null
                ? "the shuffle before it"
                : facts.stages().stream()
                        .filter(s -> s.outline().id() == largest.stage())
                        .map(s -> "\"" + s.outline().output().text() + "\"")
                        .findFirst()
                        .orElse("the shuffle before it");
        String cause = isKey
                ? "key " + key.key() + " has " + Sizes.count(key.rows(), "row") + " of " + Sizes.count(rows(largest))
                        + " in " + divided
                : "one part of " + divided
                        + " has many more rows than others: a key is frequent, or there are few keys";
        long smaller = read.size() < 2
                ? -1
                : read.stream()
                        .filter(p -> p != largest)
                        .mapToLong(TaskRules::bytes)
                        .sum();
        boolean canCopy =
                stage.pipeline().steps().stream().anyMatch(n -> n.kind().equals("probe"))
                        && smaller >= 0
                        && smaller < 1L << 30;
        boolean isReduced =
                stage.pipeline().steps().stream().anyMatch(n -> n.kind().equals("reduce"));
        boolean isKeptWhole = "off".equals(facts.history().settings().get(CUT));
        String change = isKeptWhole && mayBeCut(stage)
                ? "set " + CUT + " to on, so that such a part is cut into pieces for several tasks"
                : canCopy
                        ? "set join.copy-limit to " + (Math.max(1, (4 * smaller) >> 20))
                                + "MB, so that the smaller side (" + Sizes.bytes(smaller)
                                + " packed) is copied and no key decides where rows go"
                        : (isReduced
                                        ? "combine before the shuffle (a combiner), or put a part of the value into the key and merge what comes out in a second step"
                                        : "divide by one more column, summarise, and put together what belongs together in a second step")
                                + (isKey ? "; or treat the rows of key " + key.key() + " apart" : "");
        return new Finding(
                isKey ? "hot-key" : "uneven-parts",
                what,
                evidence,
                cause,
                change,
                gain,
                isKey ? Sureness.SURE : Sureness.LIKELY);
    }

    private static long rows(PartsMade parts) {
        return parts.rows().stream().mapToLong(Long::longValue).sum();
    }

    private static long bytes(PartsMade parts) {
        return parts.bytes().stream().mapToLong(Long::longValue).sum();
    }

    /** A worker that takes much longer for a row than the others. */
    private static Optional<Finding> slowWorker(StageFacts stage, long gain) {
        Map<String, long[]> byWorker = new HashMap<>();
        for (Ran ran : stage.history().ran()) {
            if (ran.worker() != null) {
                long[] sums = byWorker.computeIfAbsent(ran.worker(), w -> new long[2]);
                sums[0] += ran.millis();
                sums[1] += Math.max(1, stage.rows(ran));
            }
        }
        String worker = stage.slowest().worker();
        if (byWorker.size() < 2) {
            return Optional.empty();
        }
        double mine = (double) byWorker.get(worker)[0] / byWorker.get(worker)[1];
        double others = byWorker.entrySet().stream()
                .filter(e -> !e.getKey().equals(worker))
                .mapToDouble(e -> (double) e.getValue()[0] / e.getValue()[1])
                .average()
                .orElse(mine);
        if (mine < 2 * others) {
            return Optional.empty();
        }
        return Optional.of(new Finding(
                "slow-worker",
                "worker " + worker + " took " + Math.round(10 * mine / others) / 10.0
                        + " times as long for a row as others",
                "in " + stage.name() + ", for " + Sizes.count(byWorker.get(worker)[1], "row"),
                "its machine is slower, does other work, or has a disk that is failing",
                "look at that machine; leave the worker out until it is as fast as the others",
                gain,
                Sureness.LIKELY,
                Place.worker(stage.history().id(), worker)));
    }

    private static Node heaviest(StageFacts stage, Ran task) {
        return stage.nodes().stream()
                .max(Comparator.comparingLong(n -> task.step(n.id()).nanos()))
                .orElseThrow();
    }

    static Optional<Finding> smallTasks(Facts facts, StageFacts stage) {
        int tasks = stage.history().ran().size();
        long needed = stage.history().taskMillis() / facts.slots();
        long overhead = Math.max(0, stage.wallMillis() - needed) + tasks * TASK_MICROS / 1_000 / facts.slots();
        boolean isSmall = tasks >= 20 * facts.slots() && stage.medianMillis() <= 20;
        // Tasks of small files are small because of the files.
        if (!isSmall || stage.readsSmallFiles() || !facts.matters(overhead)) {
            return Optional.empty();
        }
        return Optional.of(new Finding(
                "small-tasks",
                stage.name() + " has " + Sizes.count(tasks, "task") + " of " + Sizes.millis(stage.medianMillis()),
                "it took " + Sizes.millis(stage.wallMillis()) + ", and its tasks " + Sizes.millis(needed)
                        + " of that in each slot",
                "each task has to be told, begun and reported",
                stage.readsTable() ? "give split.target more" : "give shuffle.part-target more",
                overhead,
                Sureness.LIKELY));
    }
}
