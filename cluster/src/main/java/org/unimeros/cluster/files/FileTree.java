package org.unimeros.cluster.files;

import java.util.HashMap;
import java.util.Map;

/**
 * Says where each worker fetches a file: the coordinator gives it to a few, those who have it to a few others each, and so on, so that
 * nobody sends a file to all. Thread-safe.
 */
public final class FileTree {

    /** How many one process sends a file to before others are asked. */
    private static final int FAN_OUT = 2;

    private final Map<String, Map<String, Integer>> given = new HashMap<>();

    /** Notes that a process at an address has a file. */
    public synchronized void has(String hash, String url) {
        given.computeIfAbsent(hash, h -> new HashMap<>()).putIfAbsent(url, 0);
    }

    /** Forgets a process that is gone. */
    public synchronized void gone(String url) {
        given.values().forEach(holders -> holders.remove(url));
    }

    /** From where the next one fetches a file; null when nobody is known to have it. */
    public synchronized String source(String hash) {
        Map<String, Integer> holders = given.getOrDefault(hash, Map.of());
        String best = null;
        for (Map.Entry<String, Integer> holder : holders.entrySet()) {
            boolean better = best == null
                    || Math.max(FAN_OUT, holder.getValue()) < Math.max(FAN_OUT, holders.get(best))
                    || holder.getValue() < holders.get(best);
            if (better) {
                best = holder.getKey();
            }
        }
        if (best != null) {
            holders.merge(best, 1, Integer::sum);
        }
        return best;
    }
}
