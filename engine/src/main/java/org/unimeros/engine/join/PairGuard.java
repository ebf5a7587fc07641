package org.unimeros.engine.join;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Consumer;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.key.KeySketch.Frequent;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.engine.stage.Step;

/**
 * Watches how many pairs the joins of a run make, and says so, or ends the run, before they are more than a limit. Pairs
 * count as far as they are more than one for a row that is looked up. Thread-safe.
 */
public final class PairGuard {

    private static final int SHOWN = 3;

    private final long limit;
    private final boolean fails;
    private final Map<Integer, AtomicLong> made = new ConcurrentHashMap<>();

    public PairGuard(long limit, boolean fails) {
        this.limit = limit;
        this.fails = fails;
    }

    /**
     * Looks at the frequent keys of both sides of a join that is about to begin.
     *
     * @param id the number of the join in the plan
     */
    public void expect(
            int id, Step.Probe step, Map<Long, Frequent> one, Map<Long, Frequent> other, Consumer<String> warn) {
        Map<Long, Double> pairs = one.entrySet().stream()
                .filter(e -> other.containsKey(e.getKey()))
                .collect(Collectors.toMap(
                        Map.Entry::getKey,
                        e -> (double) e.getValue().count()
                                * other.get(e.getKey()).count()));
        double all = pairs.values().stream().mapToDouble(p -> p).sum();
        if (all <= limit) {
            return;
        }
        String keys = pairs.entrySet().stream()
                .sorted(Map.Entry.<Long, Double>comparingByValue().reversed())
                .limit(SHOWN)
                .map(e -> one.get(e.getKey()).text() + " ("
                        + Sizes.count(one.get(e.getKey()).count()) + " by "
                        + Sizes.count(other.get(e.getKey()).count()) + ")")
                .collect(Collectors.joining(", "));
        counter(id).set(limit + 1);
        report(
                "the " + on(step) + " is expected to make at least " + Sizes.count((long) all)
                        + " rows, most of them for " + keys,
                warn);
    }

    /** Looks at the numbers of rows of a join without keys that is about to begin, of which it looks at every pair. */
    public void expectAll(int id, Step.Probe step, long probeRows, long buildRows, Consumer<String> warn) {
        double all = (double) probeRows * buildRows;
        if ((double) probeRows * (buildRows - 1) <= limit) {
            return;
        }
        counter(id).set(limit + 1);
        report(
                "the " + on(step) + " has no columns that must be equal, so that it looks at every pair of "
                        + Sizes.count(probeRows) + " and " + Sizes.count(buildRows) + " rows, "
                        + Sizes.count((long) all) + " in all",
                warn);
    }

    private static String on(Step.Probe step) {
        StringBuilder on = new StringBuilder(step.kind().toString());
        for (int i = 0; i < step.probeKeys().size(); i++) {
            on.append(i == 0 ? " on " : " and ")
                    .append(step.probeKeys().get(i))
                    .append(" = ")
                    .append(step.buildKeys().get(i));
        }
        return on.toString();
    }

    private AtomicLong counter(int id) {
        return made.computeIfAbsent(id, i -> new AtomicLong());
    }

    /** What a join tells of the pairs that it is about to make. */
    public PairWatch watch(int id, Step.Probe step, Consumer<String> warn) {
        AtomicLong counter = counter(id);
        return (pairs, key, keyPairs) -> add(step, counter, pairs, key, keyPairs, warn);
    }

    private void add(
            Step.Probe step,
            AtomicLong counter,
            long pairs,
            Supplier<String> key,
            long keyPairs,
            Consumer<String> warn) {
        long before = counter.getAndAdd(pairs);
        if (before <= limit && before + pairs > limit) {
            report(
                    "the " + on(step) + " makes more than " + Sizes.count(limit)
                            + " rows, and goes on; of the rows at hand " + key.get() + " finds most, "
                            + Sizes.count(keyPairs) + " each",
                    warn);
        }
    }

    private void report(String what, Consumer<String> warn) {
        String advice = "; add a condition, or summarise one side first (setting join.pairs-limit)";
        if (fails) {
            throw new BadData(what + advice);
        }
        warn.accept(what + advice);
    }
}
