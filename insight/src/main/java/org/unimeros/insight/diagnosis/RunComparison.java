package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;

/**
 * Two runs side by side: what they took and did, their stages matched by what these do, the settings that differ, and the findings that are gone or
 * new. Made from the records alone. Immutable.
 *
 * @param verdict what the second run took more or less than the first one, and what differs
 * @param lines the figures of both
 * @param settings that differ
 * @param gone findings of the first run that the second one does not have
 * @param added findings of the second run that the first one does not have
 */
public record RunComparison(
        String verdict, List<Line> lines, List<Line> settings, List<Finding> gone, List<Finding> added) {

    /** A figure of both runs, as it reads; {@code -} where a run has none. */
    public record Line(String what, String first, String second) {}

    private static final String NONE = "-";

    public RunComparison {
        lines = List.copyOf(lines);
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
        return new RunComparison(verdict(a, b, settings, gone, added), lines(a, b), settings, gone, added);
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

    private static String verdict(Facts a, Facts b, List<Line> settings, List<Finding> gone, List<Finding> added) {
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

    private static List<Line> lines(Facts a, Facts b) {
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
        Map<String, StageFacts> first = byWhatTheyDo(a);
        Map<String, StageFacts> second = byWhatTheyDo(b);
        first.forEach((does, stage) -> lines.add(new Line(does, shown(stage), shown(second.get(does)))));
        second.forEach((does, stage) -> {
            if (!first.containsKey(does)) {
                lines.add(new Line(does, NONE, shown(stage)));
            }
        });
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

    private static String shown(StageFacts stage) {
        return stage == null
                ? NONE
                : Sizes.millis(stage.wallMillis()) + ", "
                        + Sizes.count(stage.history().ran().size(), "task");
    }

    private static Line line(String what, Facts a, Facts b, Function<Facts, String> figure) {
        return new Line(what, figure.apply(a), figure.apply(b));
    }

    /** What a stage does, without sizes and numbers of stages, which differ from run to run. */
    private static String does(StageFacts stage) {
        String source = stage.pipeline().source().text();
        int sizes = source.indexOf(": ");
        String read = stage.readsTable() ? source.substring(0, sizes < 0 ? source.length() : sizes) + " → " : "";
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
