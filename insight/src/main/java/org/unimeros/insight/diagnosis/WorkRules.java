package org.unimeros.insight.diagnosis;

import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.diagnosis.Finding.Place;
import org.unimeros.insight.diagnosis.Finding.Sureness;
import org.unimeros.insight.diagnosis.RunHistory.Ran;

/** What tasks spend their time with, although they need not: scratch files, opening files, the collector, code of the job, waiting. */
final class WorkRules {

    /** What scratch files are supposed to be written and read with, bytes a millisecond. */
    private static final long SCRATCH_RATE = 150_000;

    /** Two, such as the sides of a join with itself, are often meant. */
    private static final int MANY_READERS = 3;

    private WorkRules() {}

    static Stream<Finding> spilling(Facts facts) {
        long spilled = 0;
        long gain = 0;
        long most = 0;
        String where = "";
        Place place = Place.RUN;
        for (StageFacts stage : facts.stages()) {
            long inStage = 0;
            for (Node node : stage.nodes()) {
                long bytes = stage.history().step(node.id()).spilled();
                inStage += bytes;
                if (bytes > most) {
                    most = bytes;
                    where = "\"" + node.text() + "\" in " + stage.name();
                    place = Place.stage(stage.history().id());
                }
            }
            long[] saved = stage.history().ran().stream()
                    .mapToLong(WorkRules::millisOfSpilling)
                    .toArray();
            spilled += inStage;
            if (inStage > 0) {
                gain += facts.gain(stage, times -> Replay.less(times, saved));
            }
        }
        if (spilled < StageFacts.SMALL_FILE || !facts.matters(gain)) {
            return Stream.empty();
        }
        return Stream.of(new Finding(
                "spilling",
                Sizes.bytes(spilled) + " did not fit into memory and went through scratch files",
                "most of it, " + Sizes.bytes(most) + ", from " + where,
                "the memory of a task is a share of memory.budget, divided by slots and by the steps that hold rows",
                "give memory.budget more, or use fewer slots; more shuffle.parts make each task smaller",
                gain,
                Sureness.POSSIBLE,
                place));
    }

    /** As it was measured; records of earlier versions tell only the bytes. */
    private static long millisOfSpilling(Ran ran) {
        StepMetrics all = ran.steps().values().stream().reduce(StepMetrics.NONE, StepMetrics::plus);
        return all.spillNanos() > 0 ? all.spillNanos() / 1_000_000 : 2 * all.spilled() / SCRATCH_RATE;
    }

    static Optional<Finding> smallFiles(Facts facts, StageFacts stage) {
        long count = stage.filesRead();
        if (!stage.readsSmallFiles()) {
            return Optional.empty();
        }
        long bytes = stage.history().step(stage.source()).bytes();
        long all = stage.nodes().stream()
                .mapToLong(n -> stage.history().step(n.id()).nanos())
                .sum();
        long reading = stage.history().step(stage.source()).nanos();
        double needed = Math.min(1, bytes / (double) SCRATCH_RATE / Math.max(1, reading / 1_000_000));
        double left = 1 - (double) reading / Math.max(1, all) * (1 - needed);
        long gain = facts.gain(stage, times -> Replay.scaled(times, left));
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

    /** The same files, read by several stages. What they read at the same time is gained by whoever has the slots. */
    static Stream<Finding> readAgain(Facts facts) {
        Map<String, List<StageFacts>> readers = facts.stages().stream()
                .filter(StageFacts::readsTable)
                .collect(Collectors.groupingBy(StageFacts::filesInWords, LinkedHashMap::new, Collectors.toList()));
        return readers.values().stream()
                .filter(stages -> stages.size() >= MANY_READERS)
                .map(stages -> readAgain(facts, stages))
                .flatMap(Optional::stream);
    }

    private static Optional<Finding> readAgain(Facts facts, List<StageFacts> stages) {
        long all = stages.stream().mapToLong(WorkRules::readingMillis).sum();
        long once = stages.stream().mapToLong(WorkRules::readingMillis).max().orElse(0);
        long gain = (all - once) / facts.slots();
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        StageFacts longest = stages.stream()
                .max(Comparator.comparingLong(WorkRules::readingMillis))
                .orElseThrow();
        return Optional.of(new Finding(
                        "read-again",
                        "the same files were read in " + stages.size() + " stages",
                        "that took " + Sizes.millis(all) + " of task time, once " + Sizes.millis(once),
                        longest.pipeline().source().text() + ": nothing is kept from one stage to the next",
                        "ask once for all of it (group by, case, grouping sets), or hold the rows (Rows.hold) and ask what is held",
                        gain,
                        Sureness.POSSIBLE)
                .at(Place.stage(longest.history().id())));
    }

    private static long readingMillis(StageFacts stage) {
        return stage.history().step(stage.source()).nanos() / 1_000_000;
    }

    static Stream<Finding> collector(Facts facts) {
        long collector = facts.ran().mapToLong(r -> r.use().collector()).sum() / 1_000_000;
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

    static Stream<Finding> ownCode(Facts facts) {
        long all = 0;
        long own = 0;
        Node most = null;
        Place place = Place.RUN;
        for (StageFacts stage : facts.stages()) {
            for (Node node : stage.nodes()) {
                long nanos = stage.history().step(node.id()).nanos();
                all += nanos;
                if (node.isOwnCode()) {
                    own += nanos;
                    boolean isMost = most == null || nanos > facts.step(most).nanos();
                    most = isMost ? node : most;
                    place = isMost ? Place.stage(stage.history().id()) : place;
                }
            }
        }
        if (most == null || own * 10 < 6 * all) {
            return Stream.empty();
        }
        long gain = facts.stages().stream()
                .filter(StageFacts::hasOwnCode)
                .mapToLong(stage -> facts.gain(stage, times -> Replay.less(times, ownMillis(stage))))
                .sum();
        if (!facts.matters(gain)) {
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
                Sureness.POSSIBLE,
                place));
    }

    /** What code of the job took in each task. */
    private static long[] ownMillis(StageFacts stage) {
        return stage.history().ran().stream()
                .mapToLong(ran -> stage.nodes().stream()
                                .filter(Node::isOwnCode)
                                .mapToLong(n -> ran.step(n.id()).nanos())
                                .sum()
                        / 1_000_000)
                .toArray();
    }

    /** A stage whose tasks wait for what they read. */
    static Optional<Finding> waiting(Facts facts, StageFacts stage) {
        long nanos =
                stage.history().ran().stream().mapToLong(r -> r.use().nanos()).sum();
        long cpu = stage.history().ran().stream().mapToLong(r -> r.use().cpu()).sum();
        long source = stage.history().step(stage.source()).nanos();
        boolean waits = cpu > 0 && (nanos - cpu) * 10 > 6 * nanos && source * 10 > 6 * nanos;
        if (!waits) {
            return Optional.empty();
        }
        double left = Math.max(0.1, (double) (nanos - source) / nanos);
        long gain = facts.gain(stage, times -> Replay.scaled(times, left));
        if (!facts.matters(gain)) {
            return Optional.empty();
        }
        boolean reads = stage.readsTable();
        return Optional.of(new Finding(
                reads ? "reading" : "transfer",
                stage.name() + " waited for what it reads for " + Facts.percent(nanos - cpu, nanos) + " of its time",
                Sizes.millis(source / 1_000_000) + " of task time in: "
                        + stage.pipeline().source().text(),
                reads
                        ? "the disk or the file system is slower than the tasks, or other programs have the processors"
                        : "rows came from other workers more slowly than they were used",
                reads
                        ? "read fewer columns, partitions or bytes (Parquet in place of text), or from a faster place"
                        : "shuffle fewer rows (conditions and sums before it), or use a faster network",
                gain,
                Sureness.POSSIBLE));
    }
}
