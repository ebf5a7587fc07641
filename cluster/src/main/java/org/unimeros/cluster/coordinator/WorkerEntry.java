package org.unimeros.cluster.coordinator;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.cluster.wire.Messages.Orders;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.cluster.wire.Order;

/** What the coordinator knows of a worker, and the orders that it has not taken yet. Thread-safe. */
final class WorkerEntry {

    private static final int MOST_ORDERS = 1_000;

    private final String name;
    private final Offer offer;
    private final long joinedAt;
    private final Deque<Order> waiting = new ArrayDeque<>();
    /** Attempts that it was told to run and has not reported of, as run and attempt. */
    private final Set<String> running = ConcurrentHashMap.newKeySet();

    private long taken;
    private volatile long seenAt;
    /** When it was seen with something to do last. */
    private volatile long busyAt;

    private volatile boolean leaving;
    private volatile boolean lost;
    /** Whether it was known before the coordinator started again, and has not been heard of since. */
    private boolean expected;

    WorkerEntry(String name, Offer offer, long now) {
        this.name = name;
        this.offer = offer;
        this.joinedAt = now;
        this.seenAt = now;
        this.busyAt = now;
    }

    /** Notes whether it has something to do. */
    void look(boolean launchesPrograms, long now) {
        if (launchesPrograms || !running.isEmpty()) {
            busyAt = now;
        }
    }

    long busyAt() {
        return busyAt;
    }

    /** A worker that was there before the coordinator started again. */
    static WorkerEntry expected(String name, Offer offer, long now) {
        WorkerEntry entry = new WorkerEntry(name, offer, now);
        entry.expected = true;
        return entry;
    }

    /** Whether this is the first that is heard of it since; what it has taken before is {@code after}. */
    synchronized boolean comesBack(long after) {
        if (!expected) {
            return false;
        }
        expected = false;
        waiting.clear();
        taken = after;
        return true;
    }

    String name() {
        return name;
    }

    long joinedAt() {
        return joinedAt;
    }

    String url() {
        return offer.url();
    }

    int slots() {
        return offer.slots();
    }

    Offer offer() {
        return offer;
    }

    /** How many main programs of jobs it launches at the same time. */
    int programs() {
        return offer.programs();
    }

    /** Whether it can be given what is to last, such as main programs: it is heard of, and stays. */
    synchronized boolean staysHere() {
        return !leaving && !lost && !expected;
    }

    void seen(long now) {
        seenAt = now;
    }

    long seenAt() {
        return seenAt;
    }

    boolean isLeaving() {
        return leaving;
    }

    Set<String> running() {
        return running;
    }

    synchronized void leave() {
        leaving = true;
    }

    synchronized void lose() {
        lost = true;
        notifyAll();
    }

    synchronized void order(Order order) {
        if (!lost) {
            waiting.add(order);
            notifyAll();
        }
    }

    /**
     * Orders that come after those that were taken already, as soon as there are any.
     *
     * @param after the number of the last order that the worker has; orders up to it are forgotten
     */
    synchronized Orders take(long after, long waitMillis) throws InterruptedException {
        while (taken < after && !waiting.isEmpty()) {
            waiting.poll();
            taken++;
        }
        if (waiting.isEmpty() && !lost && waitMillis > 0) {
            wait(waitMillis);
        }
        List<Order> orders = new ArrayList<>();
        for (Order order : waiting) {
            if (orders.size() == MOST_ORDERS) {
                break;
            }
            orders.add(order);
        }
        return new Orders(orders, taken + orders.size());
    }

    WorkerView view() {
        String state = leaving ? WorkerView.LEAVING : "ready";
        return new WorkerView(
                name,
                offer.url(),
                offer.host(),
                offer.pid(),
                offer.slots(),
                // Some may have been told ahead.
                Math.min(running.size(), offer.slots()),
                offer.programs(),
                state,
                joinedAt);
    }
}
