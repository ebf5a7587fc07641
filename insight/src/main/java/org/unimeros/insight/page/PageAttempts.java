package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.ToLongFunction;
import java.util.stream.Collectors;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanOutline.StageOutline;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.RunHistory;
import org.unimeros.insight.diagnosis.RunHistory.Failed;
import org.unimeros.insight.diagnosis.RunHistory.Ran;
import org.unimeros.insight.diagnosis.RunHistory.Span;
import org.unimeros.insight.diagnosis.RunHistory.StageHistory;

/**
 * The attempts of a run in columns, by the slots in which they ran and then by time. Of more than {@link #MOST}, those that follow each other in a
 * slot and belong to one stage are put together.
 */
final class PageAttempts {

    static final int MOST = 150_000;

    /** So many of each stage, the slowest ones, stay by themselves and say what they read. */
    private static final int SLOWEST = 1_000;

    private static final int DONE = 0;
    private static final int AGAIN = 4;

    /** A slot of a worker, or of the process. */
    private record Lane(String worker, int slot) {}

    /** An attempt, or several that follow each other. */
    private static final class Bar {
        private final Span span;
        private final int state;
        private final long[] uses;
        private final StepMetrics read;
        private final long spilled;
        private final AttemptUse use;
        private final String input;
        private boolean standsAlone;

        Bar(Span span, int state, Ran ran, StageOutline outline, String input) {
            this.span = span;
            this.state = state;
            this.uses = ran == null ? new long[TimeUse.KINDS.size()] : TimeUse.of(ran, outline);
            this.read = ran == null
                    ? StepMetrics.NONE
                    : outline.pipelines().stream()
                            .map(p -> ran.step(p.source().id()))
                            .reduce(StepMetrics.NONE, StepMetrics::plus);
            this.spilled = ran == null
                    ? 0
                    : ran.steps().values().stream()
                            .mapToLong(StepMetrics::spilled)
                            .sum();
            this.use = ran == null ? AttemptUse.NONE : ran.use();
            this.input = input;
        }
    }

    private final RunHistory history;
    private final List<Lane> lanes = new ArrayList<>();
    private final List<List<Bar>> bars = new ArrayList<>();
    private long count;

    PageAttempts(RunHistory history, List<Finding> findings) {
        this.history = history;
        Map<Lane, List<Bar>> byLane = new HashMap<>();
        history.workers().forEach(w -> {
            for (int slot = 0; slot < w.slots(); slot++) {
                byLane.put(new Lane(w.name(), slot), new ArrayList<>());
            }
        });
        for (StageHistory stage : history.stages()) {
            StageOutline outline = history.outline(stage);
            stage.ran().forEach(r -> add(byLane, new Bar(r.span(), DONE, r, outline, r.input())));
            stage.madeAgain().forEach(r -> add(byLane, new Bar(r.span(), AGAIN, r, outline, r.input())));
        }
        Map<Span, String> reasons =
                history.failed().stream().collect(Collectors.toMap(Failed::span, Failed::reason, (a, b) -> a));
        for (Span span : history.others()) {
            add(byLane, new Bar(span, span.outcome().ordinal(), null, null, reasons.getOrDefault(span, "")));
        }
        Set<AttemptId> named = named(findings);
        byLane.keySet().stream()
                .sorted(Comparator.comparing((Lane l) -> l.worker, Comparator.nullsFirst(Comparator.naturalOrder()))
                        .thenComparingInt(Lane::slot))
                .forEach(lane -> {
                    List<Bar> inLane = byLane.get(lane);
                    inLane.sort(
                            Comparator.comparingLong((Bar b) -> b.span.begin()).thenComparingLong(b -> b.span.end()));
                    lanes.add(lane);
                    bars.add(inLane);
                });
        bars.forEach(
                lane -> lane.forEach(bar -> bar.standsAlone = bar.state != DONE || named.contains(bar.span.attempt())));
    }

    private void add(Map<Lane, List<Bar>> byLane, Bar bar) {
        byLane.computeIfAbsent(new Lane(bar.span.worker(), bar.span.slot()), l -> new ArrayList<>())
                .add(bar);
        count++;
    }

    /** Attempts that findings are about, and the slowest of each stage. */
    private Set<AttemptId> named(List<Finding> findings) {
        Set<AttemptId> named = new HashSet<>();
        for (StageHistory stage : history.stages()) {
            stage.ran().stream()
                    .sorted(Comparator.comparingLong(Ran::millis).reversed())
                    .limit(SLOWEST)
                    .forEach(r -> named.add(r.span().attempt()));
            for (Finding f : findings) {
                stage.ran().stream()
                        .filter(r -> f.place().stage() == stage.id()
                                && r.span().attempt().task() == f.place().task())
                        .forEach(r -> named.add(r.span().attempt()));
            }
        }
        return named;
    }

    /** How many attempts there were. */
    long count() {
        return count;
    }

    void write(JsonGenerator out, long start) throws IOException {
        out.writeArrayFieldStart("lanes");
        for (Lane lane : lanes) {
            out.writeStartArray();
            out.writeString(lane.worker == null ? "" : lane.worker);
            out.writeNumber(lane.slot);
            out.writeEndArray();
        }
        out.writeEndArray();
        int together = (int) ((count + MOST - 1) / MOST);
        List<List<Bar>> drawn = new ArrayList<>();
        int[] laneOf = new int[(int) Math.min(Integer.MAX_VALUE, count)];
        for (int lane = 0; lane < bars.size(); lane++) {
            int before = drawn.size();
            bundle(bars.get(lane), together, drawn);
            Arrays.fill(laneOf, before, drawn.size(), lane);
        }
        out.writeObjectFieldStart("attempts");
        out.writeNumberField("count", count);
        out.writeArrayFieldStart("lane");
        for (int i = 0; i < drawn.size(); i++) {
            out.writeNumber(laneOf[i]);
        }
        out.writeEndArray();
        column(out, "of", drawn, List::size);
        column(out, "stage", drawn, b -> b.get(0).span.attempt().stage());
        column(out, "task", drawn, b -> b.get(0).span.attempt().task());
        column(out, "attempt", drawn, b -> b.get(0).span.attempt().attempt());
        column(out, "state", drawn, b -> b.get(0).state);
        column(out, "begin", drawn, b -> b.get(0).span.begin() - start);
        column(out, "took", drawn, PageAttempts::took);
        column(out, "rows", drawn, b -> sum(b, bar -> bar.read.rows()));
        column(out, "bytes", drawn, b -> sum(b, bar -> bar.read.bytes()));
        column(out, "spilled", drawn, b -> sum(b, bar -> bar.spilled));
        column(out, "waited", drawn, b -> sum(b, bar -> bar.use.waited()) / 1_000_000);
        column(out, "cpu", drawn, b -> sum(b, bar -> bar.use.cpu()) / 1_000_000);
        column(out, "collector", drawn, b -> sum(b, bar -> bar.use.collector()) / 1_000_000);
        out.writeArrayFieldStart("shares");
        for (List<Bar> bundle : drawn) {
            for (int share : shares(bundle)) {
                out.writeNumber(share);
            }
        }
        out.writeEndArray();
        out.writeArrayFieldStart("input");
        for (List<Bar> bundle : drawn) {
            Bar first = bundle.get(0);
            out.writeString(bundle.size() == 1 && first.standsAlone ? first.input : "");
        }
        out.writeEndArray();
        out.writeEndObject();
    }

    /** Those that follow each other without a pause, at most so many in one. */
    private static void bundle(List<Bar> lane, int most, List<List<Bar>> into) {
        List<Bar> open = List.of();
        for (Bar bar : lane) {
            boolean isMore = !open.isEmpty()
                    && open.size() < most
                    && !bar.standsAlone
                    && !open.get(0).standsAlone
                    && open.get(0).span.attempt().stage() == bar.span.attempt().stage()
                    && bar.span.begin() - open.get(open.size() - 1).span.end() <= Math.max(1, bar.span.millis());
            if (!isMore) {
                open = new ArrayList<>(1);
                into.add(open);
            }
            open.add(bar);
        }
    }

    private static long took(List<Bar> bundle) {
        return bundle.get(bundle.size() - 1).span.end() - bundle.get(0).span.begin();
    }

    /**
     * Of the time of a bar, in percent. What is not known of an attempt that succeeded counts as computing: it had its slot. Between several that
     * follow each other, it is time in which nothing ran.
     */
    private static int[] shares(List<Bar> bundle) {
        int kinds = TimeUse.KINDS.size();
        double[] nanos = new double[kinds];
        for (Bar bar : bundle) {
            for (int kind = 0; kind < kinds; kind++) {
                nanos[kind] += bar.uses[kind];
            }
        }
        double known = Arrays.stream(nanos).sum();
        double whole = Math.max(1, Math.max(known, took(bundle) * 1e6));
        int[] shares = new int[kinds];
        for (int kind = 0; kind < kinds; kind++) {
            shares[kind] = (int) Math.round(100 * nanos[kind] / whole);
        }
        int state = bundle.get(0).state;
        if (bundle.size() == 1 && (state == DONE || state == AGAIN)) {
            shares[0] += Math.max(0, 100 - Arrays.stream(shares).sum());
        }
        return shares;
    }

    private static long sum(List<Bar> bundle, ToLongFunction<Bar> of) {
        return bundle.stream().mapToLong(of).sum();
    }

    private static void column(JsonGenerator out, String name, List<List<Bar>> bars, ToLongFunction<List<Bar>> of)
            throws IOException {
        out.writeArrayFieldStart(name);
        for (List<Bar> bar : bars) {
            out.writeNumber(of.applyAsLong(bar));
        }
        out.writeEndArray();
    }
}
