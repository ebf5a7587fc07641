package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.unimeros.engine.operator.KeySketch;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.spill.Chunk;

/**
 * What finished stages made, by stage and task. Readers see the tasks in the order of their numbers, so that
 * the order of rows does not depend on which task was first.
 */
final class Exchange {

    private final Map<Integer, TreeMap<Integer, TaskResult>> results = new ConcurrentHashMap<>();

    /** Keeps the result of a task; all results of a stage are kept before anyone reads them. */
    void keep(int stage, int task, TaskResult result) {
        results.computeIfAbsent(stage, s -> new TreeMap<>()).put(task, result);
    }

    private Iterable<TaskResult> tasks(int stage) {
        return results.getOrDefault(stage, new TreeMap<>()).values();
    }

    /** The rows of a range of parts: part by part, within a part task by task. */
    List<Chunk> chunks(int stage, PartRange range) {
        List<Chunk> all = new ArrayList<>();
        for (int p = range.from(); p < range.end(); p++) {
            for (TaskResult result : tasks(stage)) {
                all.addAll(result.parts().get(p).chunks());
            }
        }
        return all;
    }

    /** Adds the bytes of each part of a stage. */
    void addBytes(int stage, long[] bytes) {
        for (TaskResult result : tasks(stage)) {
            for (int p = 0; p < bytes.length; p++) {
                Part part = result.parts().get(p);
                bytes[p] += part.bytes();
            }
        }
    }

    /** The frequent keys that the tasks of a stage noted. */
    List<KeySketch> sketches(int stage) {
        List<KeySketch> all = new ArrayList<>();
        for (TaskResult result : tasks(stage)) {
            if (result.sketch() != null) {
                all.add(result.sketch());
            }
        }
        return all;
    }

    /** Bytes of all parts of a stage. */
    long bytes(int stage) {
        long bytes = 0;
        for (TaskResult result : tasks(stage)) {
            for (Part part : result.parts()) {
                bytes += part.bytes();
            }
        }
        return bytes;
    }

    List<TaskResult> results(int stage) {
        List<TaskResult> all = new ArrayList<>();
        tasks(stage).forEach(all::add);
        return all;
    }

    void drop(int stage) {
        TreeMap<Integer, TaskResult> dropped = results.remove(stage);
        if (dropped != null) {
            dropped.values().forEach(r -> r.store().close());
        }
    }
}
