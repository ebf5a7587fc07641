package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;

/**
 * Two runs side by side: what they took and did, their stages matched by what these do, the settings that differ, and the findings that are gone or
 * new. Made from the records alone. Immutable.
 *
 * @param verdict what the second run took more or less than the first one, and what differs
 * @param lines the figures of both
 * @param stages of both, in the order of the first run and then of the second
 * @param settings that differ
 * @param gone findings of the first run that the second one does not have
 * @param added findings of the second run that the first one does not have
 * @param plan of both, as it was made before they ran
 */
public record RunComparison(
        String verdict,
        List<Line> lines,
        List<StagePair> stages,
        List<Line> settings,
        List<Finding> gone,
        List<Finding> added,
        PlanDifference plan) {

    /** A figure of both runs, as it reads; {@code -} where a run has none. */
    public record Line(String what, String first, String second) {}

    /**
     * Stages that do the same; null for the run that has none.
     *
     * @param does without sizes and numbers of stages, which differ from run to run
     */
    public record StagePair(String does, StageSpan first, StageSpan second) {

        private long millis(StageSpan span) {
            return span == null ? 0 : span.end - span.begin;
        }

        /** By how much the second took longer; negative where it took less. */
        long differenceMillis() {
            return millis(second) - millis(first);
        }
    }

    /**
     * When a stage ran, in milliseconds since the start of its run.
     *
     * @param longest what its longest task took
     */
    public record StageSpan(long begin, long end, int tasks, long longest) {

        static StageSpan of(StageFacts stage, long start) {
            if (stage == null) {
                return null;
            }
            long begin = stage.history().ran().stream()
                    .mapToLong(ran -> ran.span().begin())
                    .min()
                    .orElse(start);
            return new StageSpan(
                    begin - start,
                    begin - start + stage.wallMillis(),
                    stage.history().ran().size(),
                    stage.slowest().millis());
        }
    }

    private static final String NONE = "-";

    /** Between what a stage reads and what becomes of its rows. */
    private static final String THEN = " → ";

    /** Before what the second run does with the same rows, where that is something else. */
    private static final String SECOND = " (the second: ";

    /** A stage is named when it makes up more than this share of the difference. */
    private static final double MOST = 0.5;

    /** What differs less is not explained. */
    private static final double MUCH = 0.1;

    public RunComparison {
        lines = List.copyOf(lines);
        stages = List.copyOf(stages);
        settings = List.copyOf(settings);
        gone = List.copyOf(gone);
        added = List.copyOf(added);
    }

    public static RunComparison of(RunHistory first, RunHistory second) {
        Facts a = new Facts(first);
        Facts b = new Facts(second);
        List<Finding> of = Diagnosis.of(first).findings();
        List<Finding> other = Diagnosis.of(second).findings();
        List<Finding> gone = without(of, other);
        List<Finding> added = without(other, of);
        List<Line> settings = settings(first.settings(), second.settings());
        List<StagePair> stages = stages(a, b);
        return new RunComparison(
                verdict(a, b, stages, settings, gone, added),
                lines(a, b, stages),
                stages,
                settings,
                gone,
                added,
                PlanDifference.of(plan(first), plan(second)));
    }

    private static List<String> plan(RunHistory history) {
        return history.progress().plan().lines().stream()
                .map(PlanOutline.Line::text)
                .toList();
    }

    /** Those that do the same; of the others those that read the same, whatever becomes of it. */
    private static List<StagePair> stages(Facts a, Facts b) {
        Map<String, StageFacts> first = byWhatTheyDo(a);
        Map<String, StageFacts> second = byWhatTheyDo(b);
        long startOfA = a.history().start();
        long startOfB = b.history().start();
        Map<String, String> alike = new HashMap<>();
        for (String one : first.keySet()) {
            second.keySet().stream()
                    .filter(other -> other.equals(one)
                            || !first.containsKey(other)
                                    && !second.containsKey(one)
                                    && !alike.containsValue(other)
                                    && readsAlike(one, other))
                    .findFirst()
                    .ifPresent(other -> alike.put(one, other));
        }
        List<StagePair> pairs = new ArrayList<>();
        first.forEach((does, stage) -> {
            String other = alike.get(does);
            String both = other == null || other.equals(does)
                    ? does
                    : does + SECOND + other.substring(other.indexOf(THEN) + THEN.length()) + ")";
            pairs.add(new StagePair(both, StageSpan.of(stage, startOfA), StageSpan.of(second.get(other), startOfB)));
        });
        second.forEach((does, stage) -> {
            if (!alike.containsValue(does)) {
                pairs.add(new StagePair(does, null, StageSpan.of(stage, startOfB)));
            }
        });
        return pairs;
    }

    private static boolean readsAlike(String one, String other) {
        int end = one.indexOf(THEN);
        return end > 0 && other.startsWith(one.substring(0, end + THEN.length()));
    }

    /** Of several of one kind, as many as the others have go. */
    private static List<Finding> without(List<Finding> findings, List<Finding> others) {
        List<String> kinds = new ArrayList<>(others.stream().map(Finding::kind).toList());
        return findings.stream().filter(f -> !kinds.remove(f.kind())).toList();
    }

    private static List<Line> settings(Map<String, String> first, Map<String, String> second) {
        TreeSet<String> names = new TreeSet<>(first.keySet());
        names.addAll(second.keySet());
        return names.stream()
                .filter(name -> !Objects.equals(first.get(name), second.get(name)))
                .map(name -> new Line(name, shown(first.get(name)), shown(second.get(name))))
                .toList();
    }

    private static String shown(String value) {
        return value == null || value.isEmpty() ? NONE : value;
    }

    /** Where most of a difference comes from, if it comes from one stage. */
    private static Optional<String> where(long difference, Facts a, Facts b, List<StagePair> stages) {
        boolean isMuch = Math.abs(difference) >= MUCH * Math.max(a.millis(), b.millis());
        return stages.stream()
                .filter(pair -> isMuch
                        && Long.signum(pair.differenceMillis()) == Long.signum(difference)
                        && Math.abs(pair.differenceMillis()) > MOST * Math.abs(difference))
                .max(Comparator.comparingLong(pair -> Math.abs(pair.differenceMillis())))
                .map(pair -> "most of it in the stage “" + pair.does().split(Pattern.quote(SECOND))[0] + "”, "
                        + shown(pair.first()) + " → " + shown(pair.second()));
    }

    private static String shown(StageSpan span) {
        return span == null ? "not there" : Sizes.millis(span.end - span.begin);
    }

    private static String verdict(
            Facts a, Facts b, List<StagePair> stages, List<Line> settings, List<Finding> gone, List<Finding> added) {
        long difference = b.millis() - a.millis();
        String more = difference > 0 ? " more" : " less";
        List<String> parts = new ArrayList<>();
        if (!a.history().progress().title().equals(b.history().progress().title())) {
            parts.add("they ask for different things");
        }
        parts.add(
                difference == 0
                        ? "both took the same time"
                        : "the second run took " + Sizes.millis(Math.abs(difference)) + more + " than the first ("
                                + Facts.percent(Math.abs(difference), a.millis()) + more + ")");
        where(difference, a, b, stages).ifPresent(parts::add);
        long rowsOfA = read(a).rows();
        long rowsOfB = read(b).rows();
        if (rowsOfA != rowsOfB) {
            parts.add("it read " + Sizes.count(rowsOfB, "row") + " and not " + Sizes.count(rowsOfA));
        }
        if (!settings.isEmpty()) {
            parts.add("settings differ: "
                    + settings.stream()
                            .map(s -> s.what() + " " + s.first() + " → " + s.second())
                            .collect(Collectors.joining(", ")));
        }
        if (!gone.isEmpty()) {
            parts.add("gone: " + gone.stream().map(Finding::kind).collect(Collectors.joining(", ")));
        }
        if (!added.isEmpty()) {
            parts.add("new: " + added.stream().map(Finding::kind).collect(Collectors.joining(", ")));
        }
        return String.join("; ", parts);
    }

    private static List<Line> lines(Facts a, Facts b, List<StagePair> stages) {
        List<Line> lines = new ArrayList<>();
        lines.add(line("run", a, b, f -> f.history().progress().run()));
        lines.add(line("state", a, b, f -> f.history().progress().state()));
        lines.add(line("time", a, b, f -> Sizes.millis(f.millis())));
        lines.add(line("slots", a, b, f -> Sizes.count(f.slots())));
        lines.add(line("slots in use", a, b, f -> f.slotsInUse() + " %"));
        lines.add(line("tasks", a, b, f -> Sizes.count(f.history().tasksDone())));
        lines.add(line("time of tasks", a, b, f -> Sizes.millis(f.taskMillis())));
        lines.add(line("rows read", a, b, f -> Sizes.count(read(f).rows())));
        lines.add(line("bytes read", a, b, f -> Sizes.bytes(read(f).bytes())));
        lines.add(line("rows between stages", a, b, f -> Sizes.count(shuffled(f).rows())));
        lines.add(
                line("bytes between stages", a, b, f -> Sizes.bytes(shuffled(f).bytes())));
        lines.add(line("spilled", a, b, f -> Sizes.bytes(spilled(f))));
        lines.add(line(
                "rows of the result",
                a,
                b,
                f -> Sizes.count(f.history().progress().rows())));
        stages.forEach(pair -> lines.add(new Line(pair.does(), figures(pair.first()), figures(pair.second()))));
        return lines;
    }

    /** The stages in their order; several that do the same are counted. */
    private static Map<String, StageFacts> byWhatTheyDo(Facts facts) {
        Map<String, StageFacts> stages = new LinkedHashMap<>();
        for (StageFacts stage : facts.stages()) {
            String does = does(stage);
            int same = 1;
            while (stages.containsKey(same == 1 ? does : does + " (" + same + ")")) {
                same++;
            }
            stages.put(same == 1 ? does : does + " (" + same + ")", stage);
        }
        return stages;
    }

    private static String figures(StageSpan span) {
        return span == null ? NONE : shown(span) + ", " + Sizes.count(span.tasks(), "task");
    }

    private static Line line(String what, Facts a, Facts b, Function<Facts, String> figure) {
        return new Line(what, figure.apply(a), figure.apply(b));
    }

    /** What a stage does, without sizes and numbers of stages, which differ from run to run. */
    private static String does(StageFacts stage) {
        String source = stage.pipeline().source().text();
        int sizes = source.indexOf(": ");
        String read = stage.readsTable() ? source.substring(0, sizes < 0 ? source.length() : sizes) + THEN : "";
        return read + stage.outline().output().text();
    }

    private static StepMetrics read(Facts facts) {
        return sum(facts, StageFacts::readsTable, stage -> stage.pipeline().source());
    }

    private static StepMetrics shuffled(Facts facts) {
        return sum(facts, stage -> true, stage -> stage.outline().output());
    }

    private static StepMetrics sum(Facts facts, Predicate<StageFacts> which, Function<StageFacts, Node> node) {
        StepMetrics all = StepMetrics.NONE;
        for (StageFacts stage : facts.stages()) {
            all = which.test(stage)
                    ? all.plus(stage.history().step(node.apply(stage).id()))
                    : all;
        }
        return all;
    }

    private static long spilled(Facts facts) {
        return facts.ran()
                .flatMap(ran -> ran.steps().values().stream())
                .mapToLong(StepMetrics::spilled)
                .sum();
    }
}
