package org.unimeros.cluster.worker;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Supplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.Messages.Outcome;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Order;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;

/** What a worker tells its coordinator of its attempts, in order, until it is taken. Thread-safe. */
final class WorkerReports {

    private static final Logger LOG = LoggerFactory.getLogger(WorkerReports.class);
    private static final int MOST_AT_ONCE = 100;
    private static final int SERVER_ERROR = 500;
    private static final long RETRY_MILLIS = 200;

    private final HttpClient coordinator;
    private final PrintQueue prints;
    private final BlockingQueue<Report> waiting = new LinkedBlockingQueue<>();
    /** Reports that the coordinator has not taken yet. */
    private final AtomicInteger unsent = new AtomicInteger();

    private volatile boolean closed;

    /** @param prints lines that attempts have printed, which go before what is reported of them */
    WorkerReports(HttpClient coordinator, PrintQueue prints) {
        this.coordinator = coordinator;
        this.prints = prints;
    }

    /** What is stopped because this worker ends says nothing of its task; the coordinator hears that the worker is gone. */
    void add(Report report) {
        if (!closed) {
            unsent.incrementAndGet();
            waiting.add(report);
        }
    }

    boolean areWaiting() {
        return unsent.get() > 0;
    }

    /** Forgets what was not sent, since nobody wants it. */
    void drop() {
        List<Report> dropped = new ArrayList<>();
        waiting.drainTo(dropped);
        unsent.addAndGet(-dropped.size());
    }

    /** Takes nothing more, and ends the sending. */
    void close() {
        closed = true;
    }

    /** What is told of an attempt that failed. */
    static Report failed(Order.Launch order, RuntimeException reason, boolean again, List<String> warnings) {
        Failure failure = Failure.of(reason instanceof UnimerosException ? reason : known(reason));
        return new Report(order.run(), order.attempt(), Outcome.FAILED, null, failure, again, null, warnings);
    }

    private static RuntimeException known(RuntimeException e) {
        return e instanceof RunCancelledException
                ? e
                : new InternalFault("unexpected " + e + "; the log of the worker has the details", e);
    }

    /** Sends until it is closed. */
    void send(Supplier<String> worker) {
        List<Report> batch = new ArrayList<>();
        while (!closed) {
            try {
                if (batch.isEmpty()) {
                    Report first = waiting.poll(1, TimeUnit.SECONDS);
                    if (first == null) {
                        continue;
                    }
                    batch.add(first);
                    waiting.drainTo(batch, MOST_AT_ONCE);
                }
                // Before reports, so that a run does not end before its lines are there.
                prints.send(worker.get());
                coordinator.post("/v1/workers/" + worker.get() + "/reports", batch);
                taken(batch);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                return;
            } catch (HttpClient.Unreachable e) {
                Worker.pause(RETRY_MILLIS);
            } catch (HttpProblem e) {
                LOG.warn("reports were refused: {}", e.getMessage());
                if (e.status() < SERVER_ERROR) {
                    // Given up: what was done under the old name does not count. The thread that takes orders starts
                    // anew.
                    taken(batch);
                }
                Worker.pause(RETRY_MILLIS);
            }
        }
    }

    private void taken(List<Report> batch) {
        unsent.addAndGet(-batch.size());
        batch.clear();
    }
}
