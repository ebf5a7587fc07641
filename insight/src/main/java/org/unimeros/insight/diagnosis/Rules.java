package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent.KeyCount;
import org.unimeros.engine.run.RunEvent.PartsMade;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.diagnosis.Facts.StageFacts;
import org.unimeros.insight.diagnosis.Finding.Sureness;
import org.unimeros.insight.diagnosis.RunHistory.Failed;
import org.unimeros.insight.diagnosis.RunHistory.Ran;
import org.unimeros.insight.diagnosis.RunHistory.Span;

/**
 * What is looked for in a run, in the order in which somebody who knows would look: what failed, when nothing ran, stages with too few tasks, uneven
 * tasks, joins that make very many rows, spilling, small files, tasks that are too small, memory, code of the job, waiting.
 */
final class Rules {

    private static final List<Function<Facts, Stream<Finding>>> ALL = List.of(
            Rules::failures,
            Rules::gaps,
            facts -> each(facts, Rules::fewTasks),
            facts -> each(facts, Rules::uneven),
            facts -> each(facts, Rules::pairs),
            Rules::spilling,
            facts -> each(facts, Rules::smallFiles),
            facts -> each(facts, Rules::smallTasks),
            Rules::collector,
            Rules::ownCode,
            facts -> each(facts, Rules::waiting));

    private static final Pattern FILES = Pattern.compile(": ([\\d,]+) files?,");

    /** What scratch files are supposed to be written and read with, bytes a millisecond. */
    private static final long SCRATCH_RATE = 150_000;

    /** What a task costs in the slot that runs it, besides its work. */
    private static final long TASK_MICROS = 600;

    private static final double MANY_PAIRS = 4;
    private static final long LEAST_PAIRS = 1_000_000;
    private static final int SMALL_FILE = 1 << 20;
    private static final int MANY_FILES = 100;

    private Rules() {}

    /** All findings, in that order. */
    static List<Finding> findings(Facts facts) {
        return ALL.stream().flatMap(rule -> rule.apply(facts)).toList();
    }

    private interface StageRule {
        Optional<Finding> look(Facts facts, StageFacts stage);
    }

    private static Stream<Finding> each(Facts facts, StageRule rule) {
        return facts.stages().stream().flatMap(stage -> rule.look(facts, stage).stream());
    }

    private static Stream<Finding> failures(Facts facts) {
        List<Failed> failed = facts.history().failed();
        List<String> lost = facts.history().progress().lostWorkers();
        if (failed.isEmpty() && lost.isEmpty()) {
            return Stream.empty();
        }
        long wasted = failed.stream().mapToLong(f -> f.span().millis()).sum();
        List<String> what = new ArrayList<>();
        if (!failed.isEmpty()) {
            what.add(Sizes.count(failed.size(), "attempt") + " failed");
        }
        if (!lost.isEmpty()) {
            what.add(Sizes.count(lost.size(), "worker") + (lost.size() == 1 ? " was lost" : " were lost"));
        }
        String evidence = failed.isEmpty()
                ? "what it had made was made again where it was needed"
                : "they took " + Sizes.millis(wasted) + " of task time, the first one in "
                        + failed.get(0).span().attempt();
        return Stream.of(new Finding(
                "failures",
                String.join(", ", what),
                evidence,
                failed.isEmpty() ? lost.get(0) : failed.get(0).reason(),
                failed.isEmpty()
                        ? "look at the log of that worker; the setting worker.memory and the slots decide what a process needs"
                        : "mend what this says; a task is tried task.attempts times, so that what happens now and then"
                                + " does not end a run",
                failed.isEmpty() ? -1 : wasted / facts.slots(),
                Sureness.SURE));
    }

    /** Time in which no attempt ran. */
    private static Stream<Finding> gaps(Facts facts) {
        List<Span> spans = new ArrayList<>(facts.history().spans());
        spans.sort(Comparator.comparingLong(Span::begin));
        long start = facts.history().start();
        long until = start;
        long idle = 0;
        long longest = 0;
        long longestAt = 0;
        for (Span span : spans) {
            long gap = span.begin() - until;
            idle += Math.max(0, gap);
            if (gap > longest) {
                longest = gap;
                longestAt = until - start;
            }
            until = Math.max(until, span.end());
        }
        if (spans.isEmpty() || !facts.matters(idle) || idle < facts.millis() / 5 || idle < 1_000) {
            return Stream.empty();
        }
        boolean atStart = longestAt == 0;
        return Stream.of(new Finding(
                "gaps",
                "nothing ran for " + Sizes.millis(idle),
                "the longest time was " + Sizes.millis(longest) + ", "
                        + (atStart ? "before the first task" : Sizes.millis(longestAt) + " after the start"),
                atStart
                        ? "the plan was made, files were listed, or workers were not there yet"
                        : "workers were lost or waited for, or the coordinator was busy",
                atStart
                        ? "keep the engine and its workers for several runs, and keep fewer and larger files"
                        : "look at the log of the coordinator for that time",
                idle,
                Sureness.POSSIBLE));
    }

    /** A stage that has fewer tasks than there are slots. */
    private static Optional<Finding> fewTasks(Facts facts, StageFacts stage) {
        int tasks = stage.history().ran().size();
        if (tasks >= facts.slots()) {
            return Optional.empty();
        }
        long gain = facts.gain(stage, times -> Replay.evenly(times, facts.slots()));
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        Ran slowest = stage.slowest();
        boolean isGz = slowest.input().contains(".gz");
        boolean isOrdered =
                stage.pipeline().steps().stream().anyMatch(n -> n.kind().equals("window"));
        long bytes = stage.history().step(stage.source()).bytes();
        boolean isTooSmallToCut = stage.readsTable() && !isGz && bytes < SMALL_FILE;
        if (isTooSmallToCut) {
            return Optional.empty();
        }
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
    private static Optional<Finding> uneven(Facts facts, StageFacts stage) {
        int tasks = stage.history().ran().size();
        if (tasks < 2) {
            return Optional.empty();
        }
        long gain = facts.gain(stage, times -> Replay.evenly(times, Math.max(tasks, facts.slots())));
        Ran slowest = stage.slowest();
        long mean = stage.history().taskMillis() / tasks;
        if (!facts.matters(gain) || slowest.millis() < 2 * Math.min(mean, Math.max(1, stage.medianMillis()))) {
            return Optional.empty();
        }
        Optional<Finding> byWorker = slowWorker(facts, stage, gain);
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
                    Sureness.POSSIBLE));
        }
        return Optional.of(
                stage.readsParts()
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
                                Sureness.LIKELY));
    }

    private static Finding hotPart(Facts facts, StageFacts stage, String what, String evidence, long gain) {
        List<PartsMade> read = stage.outline().reads().stream()
                .flatMap(s -> facts.history().parts(s).stream())
                .toList();
        PartsMade largest =
                read.stream().max(Comparator.comparingLong(Rules::rows)).orElse(null);
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
                        .mapToLong(Rules::bytes)
                        .sum();
        boolean canCopy =
                stage.pipeline().steps().stream().anyMatch(n -> n.kind().equals("probe"))
                        && smaller >= 0
                        && smaller < 1L << 30;
        String change = canCopy
                ? "set join.copy-limit to " + (Math.max(1, (4 * smaller) >> 20)) + "MB, so that the smaller side ("
                        + Sizes.bytes(smaller) + " packed) is copied and no key decides where rows go"
                : "divide by one more column, summarise, and put together what belongs together in a second step"
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
    private static Optional<Finding> slowWorker(Facts facts, StageFacts stage, long gain) {
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
                Sureness.LIKELY));
    }

    private static Node heaviest(StageFacts stage, Ran task) {
        return stage.nodes().stream()
                .max(Comparator.comparingLong(n -> task.step(n.id()).nanos()))
                .orElseThrow();
    }

    /** A join that makes many more rows than it takes. */
    private static Optional<Finding> pairs(Facts facts, StageFacts stage) {
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
            long gain = facts.gain(stage, times -> scaled(times, left));
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

    private static long[] scaled(long[] times, double by) {
        long[] scaled = new long[times.length];
        for (int i = 0; i < times.length; i++) {
            scaled[i] = Math.round(times[i] * by);
        }
        return scaled;
    }

    private static Stream<Finding> spilling(Facts facts) {
        long spilled = 0;
        long gain = 0;
        long most = 0;
        String where = "";
        for (StageFacts stage : facts.stages()) {
            long inStage = 0;
            for (Node node : stage.nodes()) {
                long bytes = stage.history().step(node.id()).spilled();
                inStage += bytes;
                if (bytes > most) {
                    most = bytes;
                    where = "\"" + node.text() + "\" in " + stage.name();
                }
            }
            long[] saved = stage.history().ran().stream()
                    .mapToLong(Rules::millisOfSpilling)
                    .toArray();
            spilled += inStage;
            if (inStage > 0) {
                gain += facts.gain(stage, times -> less(times, saved));
            }
        }
        if (spilled < SMALL_FILE || !facts.matters(gain)) {
            return Stream.empty();
        }
        return Stream.of(new Finding(
                "spilling",
                Sizes.bytes(spilled) + " did not fit into memory and went through scratch files",
                "most of it, " + Sizes.bytes(most) + ", from " + where,
                "the memory of a task is a share of memory.budget, divided by slots and by the steps that hold rows",
                "give memory.budget more, or use fewer slots; more shuffle.parts make each task smaller",
                gain,
                Sureness.POSSIBLE));
    }

    /** Besides packing and unpacking, a task that spills waits for the disk of its scratch files. */
    private static long millisOfSpilling(Ran ran) {
        long bytes =
                ran.steps().values().stream().mapToLong(StepMetrics::spilled).sum();
        boolean isKnown = bytes > 0 && ran.use().cpu() > 0;
        long waited = isKnown ? Math.max(0, ran.use().nanos() - ran.use().cpu()) / 1_000_000 : 0;
        return Math.max(waited, 2 * bytes / SCRATCH_RATE);
    }

    private static long[] less(long[] times, long[] saved) {
        long[] left = new long[times.length];
        for (int i = 0; i < times.length; i++) {
            left[i] = Math.max(times[i] / 10, times[i] - saved[i]);
        }
        return left;
    }

    private static Optional<Finding> smallFiles(Facts facts, StageFacts stage) {
        long count = filesRead(stage);
        if (!readsSmallFiles(stage)) {
            return Optional.empty();
        }
        long bytes = stage.history().step(stage.source()).bytes();
        long all = stage.nodes().stream()
                .mapToLong(n -> stage.history().step(n.id()).nanos())
                .sum();
        long reading = stage.history().step(stage.source()).nanos();
        double needed = Math.min(1, bytes / (double) SCRATCH_RATE / Math.max(1, reading / 1_000_000));
        double left = 1 - (double) reading / Math.max(1, all) * (1 - needed);
        long gain = facts.gain(stage, times -> scaled(times, left));
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        return Optional.of(new Finding(
                "small-files",
                Sizes.count(count, "file") + " of " + Sizes.bytes(bytes / count) + " each were read",
                "that took " + Facts.percent(reading, all) + " of the time of " + stage.name(),
                stage.pipeline().source().text() + ": each file has to be found, opened and begun",
                "write the dataset once in fewer files and read those",
                gain,
                Sureness.POSSIBLE));
    }

    private static boolean readsSmallFiles(StageFacts stage) {
        long count = filesRead(stage);
        return count >= MANY_FILES && stage.history().step(stage.source()).bytes() / count <= SMALL_FILE;
    }

    private static long filesRead(StageFacts stage) {
        Matcher files = FILES.matcher(stage.pipeline().source().text());
        return stage.readsTable() && files.find()
                ? Long.parseLong(files.group(1).replace(",", ""))
                : 0;
    }

    private static Optional<Finding> smallTasks(Facts facts, StageFacts stage) {
        int tasks = stage.history().ran().size();
        long needed = stage.history().taskMillis() / facts.slots();
        long overhead = Math.max(0, stage.wallMillis() - needed) + tasks * TASK_MICROS / 1_000 / facts.slots();
        boolean isSmall = tasks >= 20 * facts.slots() && stage.medianMillis() <= 20;
        // Tasks of small files are small because of the files.
        if (!isSmall || readsSmallFiles(stage) || !facts.matters(overhead)) {
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

    private static Stream<Finding> collector(Facts facts) {
        long collector = ran(facts).mapToLong(r -> r.use().collector()).sum() / 1_000_000;
        long all = facts.taskMillis();
        long gain = collector / facts.slots();
        if (collector * 100 < 15 * all || !facts.matters(gain)) {
            return Stream.empty();
        }
        return Stream.of(new Finding(
                "collector",
                "the collector stopped all tasks for " + Facts.percent(collector, all) + " of their time",
                Sizes.millis(collector) + " of " + Sizes.millis(all) + " of task time",
                facts.stages().stream().anyMatch(StageFacts::hasOwnCode)
                        ? "code of the job makes very many objects, or keeps them"
                        : "the process has too little memory for its slots",
                "give the process more memory (-Xmx, worker.memory), or use fewer slots",
                gain,
                Sureness.LIKELY));
    }

    private static Stream<Ran> ran(Facts facts) {
        return facts.stages().stream().flatMap(s -> s.history().ran().stream());
    }

    private static Stream<Finding> ownCode(Facts facts) {
        long all = 0;
        long own = 0;
        Node most = null;
        for (StageFacts stage : facts.stages()) {
            for (Node node : stage.nodes()) {
                long nanos = stage.history().step(node.id()).nanos();
                all += nanos;
                if (Facts.isOwn(node)) {
                    own += nanos;
                    boolean isMost = most == null || nanos > facts.step(most).nanos();
                    most = isMost ? node : most;
                }
            }
        }
        long gain = facts.stages().stream()
                .filter(StageFacts::hasOwnCode)
                .mapToLong(stage -> facts.gain(stage, times -> less(times, ownMillis(stage))))
                .sum();
        if (most == null || own * 10 < 6 * all || !facts.matters(gain)) {
            return Stream.empty();
        }
        return Stream.of(new Finding(
                "own-code",
                "code of the job took " + Facts.percent(own, all) + " of the time of all tasks",
                Sizes.millis(facts.step(most).nanos() / 1_000_000) + " of task time for "
                        + Sizes.count(facts.step(most).rows(), "row"),
                most.text(),
                "make it cheaper for a row, or give it fewer rows (conditions before it); what is said here is gained if it takes nothing",
                gain,
                Sureness.POSSIBLE));
    }

    /** What code of the job took in each task. */
    private static long[] ownMillis(StageFacts stage) {
        return stage.history().ran().stream()
                .mapToLong(ran -> stage.nodes().stream()
                                .filter(Facts::isOwn)
                                .mapToLong(n -> ran.step(n.id()).nanos())
                                .sum()
                        / 1_000_000)
                .toArray();
    }

    /** A stage whose tasks wait for what they read. */
    private static Optional<Finding> waiting(Facts facts, StageFacts stage) {
        long nanos =
                stage.history().ran().stream().mapToLong(r -> r.use().nanos()).sum();
        long cpu = stage.history().ran().stream().mapToLong(r -> r.use().cpu()).sum();
        long source = stage.history().step(stage.source()).nanos();
        boolean waits = cpu > 0 && (nanos - cpu) * 10 > 6 * nanos && source * 10 > 6 * nanos;
        double left = nanos == 0 ? 1 : Math.max(0.1, (double) (nanos - source) / nanos);
        long gain = facts.gain(stage, times -> scaled(times, left));
        if (!waits || !facts.matters(gain)) {
            return Optional.empty();
        }
        boolean reads = stage.readsTable();
        return Optional.of(new Finding(
                reads ? "reading" : "transfer",
                stage.name() + " waited for what it reads for " + Facts.percent(nanos - cpu, nanos) + " of its time",
                Sizes.millis(source / 1_000_000) + " of task time in: "
                        + stage.pipeline().source().text(),
                reads
                        ? "the disk or the file system is slower than the tasks"
                        : "rows came from other workers more slowly than they were used",
                reads
                        ? "read fewer columns, partitions or bytes (Parquet in place of text), or from a faster place"
                        : "shuffle fewer rows (conditions and sums before it), or use a faster network",
                gain,
                Sureness.POSSIBLE));
    }
}
