package org.unimeros.engine.own;

import java.util.Map;
import java.util.TreeMap;

/** Sums that the code of a job keeps by group and name. Those of a task count once, whatever the number of its attempts. Used by one thread. */
public final class Counters {

    private final Map<String, Map<String, Long>> sums = new TreeMap<>();

    /** @throws ArithmeticException beyond 64 bits */
    public void add(String group, String name, long amount) {
        sums.computeIfAbsent(group, g -> new TreeMap<>()).merge(name, amount, Math::addExact);
    }

    public void addAll(Map<String, Map<String, Long>> others) {
        others.forEach((group, names) -> names.forEach((name, amount) -> add(group, name, amount)));
    }

    /** The sums so far, by group and name, in the order of the alphabet. */
    public Map<String, Map<String, Long>> sums() {
        Map<String, Map<String, Long>> copy = new TreeMap<>();
        sums.forEach((group, names) -> copy.put(group, new TreeMap<>(names)));
        return copy;
    }
}
