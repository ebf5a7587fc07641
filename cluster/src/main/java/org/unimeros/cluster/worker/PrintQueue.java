package org.unimeros.cluster.worker;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.atomic.AtomicInteger;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.Messages.Print;
import org.unimeros.engine.schedule.AttemptId;

/** Lines that attempts have printed, on their way to the coordinator. What does not fit is left out, and that is said. Thread-safe. */
final class PrintQueue {

    private static final Logger LOG = LoggerFactory.getLogger(PrintQueue.class);
    private static final int MOST = 10_000;

    private final HttpClient coordinator;
    private final BlockingQueue<Print> waiting = new LinkedBlockingQueue<>(MOST);
    private final AtomicInteger leftOut = new AtomicInteger();

    PrintQueue(HttpClient coordinator) {
        this.coordinator = coordinator;
    }

    void add(String run, AttemptId attempt, String line) {
        if (!waiting.offer(new Print(run, attempt, List.of(line)))) {
            leftOut.incrementAndGet();
        }
    }

    /** Tells what was printed so far. */
    synchronized void send(String worker) {
        List<Print> some = new ArrayList<>();
        waiting.drainTo(some, MOST);
        if (some.isEmpty()) {
            return;
        }
        int missing = leftOut.getAndSet(0);
        if (missing > 0) {
            Print last = some.get(some.size() - 1);
            some.add(new Print(last.run(), last.attempt(), List.of("… " + missing + " more lines were left out")));
        }
        try {
            coordinator.post("/v1/workers/" + worker + "/prints", some);
        } catch (HttpClient.Unreachable | HttpProblem e) {
            LOG.info("{} printed lines are lost: {}", some.size(), e.getMessage());
        }
    }
}
