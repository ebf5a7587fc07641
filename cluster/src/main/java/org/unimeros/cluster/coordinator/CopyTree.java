package org.unimeros.cluster.coordinator;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.cluster.wire.Messages.CopySource;

/**
 * Who fetches what a stage made from whom, when all workers read all of it: the first ones from those that made it, and each of them is asked by a few that
 * come later, so that nobody sends it more than {@value #FAN_OUT} times. Workers need not have it before others ask them; they hand on what they
 * have. Thread-safe.
 */
final class CopyTree {

    /** How many one worker sends it to. */
    static final int FAN_OUT = 2;

    /** Workers in the order in which they asked, by stage. */
    private final Map<Integer, List<String>> asked = new HashMap<>();

    /**
     * From where a worker fetches what a stage made; the same when it asks again. One that finds its source gone asks those that made it.
     *
     * @param workers how many there are
     * @param urls of workers by name
     */
    synchronized CopySource source(int stage, String worker, int workers, Map<String, String> urls) {
        List<String> order = asked.computeIfAbsent(stage, s -> new ArrayList<>());
        if (!order.contains(worker)) {
            order.add(worker);
        }
        int place = order.indexOf(worker);
        boolean hands = FAN_OUT * (place + 1) < workers;
        String parent = place < FAN_OUT ? null : order.get(place / FAN_OUT - 1);
        return new CopySource(parent == null ? null : urls.get(parent), hands);
    }

    synchronized void forget(int stage) {
        asked.remove(stage);
    }
}
