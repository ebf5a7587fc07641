package org.unimeros.cluster.client;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.Messages.Events;
import org.unimeros.cluster.wire.Messages.ResultNote;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.WantedCopies;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.StageOutputs;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.HeldRun;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.source.HeldTable.Piece;

/**
 * Rows that workers hold for this process. As long as it lives it says so; when it does not, they are released as the run of a client that is gone.
 * Thread-safe.
 */
public final class RemoteHeld implements HeldRun {

    private static final Logger LOG = LoggerFactory.getLogger(RemoteHeld.class);
    private static final int READ_MILLIS = 30_000;
    private static final long SIGN_MILLIS = 1_000;
    private static final long PATIENCE_MILLIS = 60_000;
    private static final long RETRY_MILLIS = 100;

    private final HttpClient coordinator;
    private final String run;
    private final RunOutcome outcome;
    private final ScheduledExecutorService signs;
    private volatile boolean released;

    RemoteHeld(String coordinatorUrl, ClusterAccess access, String run, RunOutcome outcome) {
        this.outcome = outcome;
        this.coordinator = new HttpClient(coordinatorUrl, access, READ_MILLIS);
        this.run = run;
        this.signs = Executors.newSingleThreadScheduledExecutor(task -> {
            Thread thread = new Thread(task, "unimeros-held-" + run);
            thread.setDaemon(true);
            return thread;
        });
        signs.scheduleWithFixedDelay(this::sign, SIGN_MILLIS, SIGN_MILLIS, TimeUnit.MILLISECONDS);
    }

    /** Says that they are still wanted. */
    private void sign() {
        try {
            coordinator.get("/v1/runs/" + run + "/events?after=" + Integer.MAX_VALUE, Events.class);
        } catch (HttpClient.Unreachable | HttpProblem e) {
            LOG.info("held rows {}: {}", run, e.getMessage());
        }
    }

    @Override
    public RunOutcome outcome() {
        return outcome;
    }

    @Override
    public List<Piece> pieces() {
        long until = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(PATIENCE_MILLIS);
        while (true) {
            RunView view = view();
            if (view.state() == RunState.HELD) {
                byte[] bytes = coordinator.getBytes("/v1/runs/" + run + "/stages/" + view.stages() + "/outputs");
                return pieces(PlanCodec.read(bytes, StageOutputs.class));
            }
            if (view.state() == RunState.FAILED) {
                throw view.failure().toException();
            }
            if (view.state().isEnded() || released) {
                throw new UserMistake("the held rows " + run + " were released");
            }
            if (System.nanoTime() > until) {
                throw new ResourceFailure("the held rows " + run + " were lost and are not made again yet");
            }
            pause();
        }
    }

    private static List<Piece> pieces(StageOutputs outputs) {
        List<Piece> pieces = new ArrayList<>();
        for (StageOutputs.Output output : outputs.outputs()) {
            long bytes = 0;
            for (var part : output.report().parts()) {
                for (long chunk : part.bytes()) {
                    bytes += chunk;
                }
            }
            pieces.add(new Piece(
                    output.attempt().task(),
                    output.report().rows(),
                    bytes,
                    output.urls().get(0)));
        }
        return pieces;
    }

    @Override
    public void replicate(int copies) {
        coordinator.post("/v1/runs/" + run + "/replicas", new WantedCopies(copies));
        long until = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(PATIENCE_MILLIS);
        while (leastCopies() < Math.min(copies, workers())) {
            if (System.nanoTime() > until) {
                throw new ResourceFailure("the held rows " + run + " have " + leastCopies() + " of " + copies
                        + " copies after " + PATIENCE_MILLIS / 1_000 + " s");
            }
            pause();
        }
    }

    /** How many workers have the piece that the fewest have. */
    public int leastCopies() {
        byte[] bytes = coordinator.getBytes("/v1/runs/" + run + "/stages/" + view().stages() + "/outputs");
        return PlanCodec.read(bytes, StageOutputs.class).outputs().stream()
                .mapToInt(o -> o.urls().size())
                .min()
                .orElse(Integer.MAX_VALUE);
    }

    private long workers() {
        return coordinator.get("/v1/workers", Object[].class).length;
    }

    private RunView view() {
        try {
            return coordinator.get("/v1/runs/" + run, RunView.class);
        } catch (HttpProblem e) {
            throw new UserMistake("the held rows " + run + " were released", e);
        } catch (HttpClient.Unreachable e) {
            throw new ResourceFailure("the coordinator does not answer: " + e.getMessage(), e);
        }
    }

    private static void pause() {
        try {
            Thread.sleep(RETRY_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new ResourceFailure("interrupted while held rows were waited for", e);
        }
    }

    /** Lets the workers forget them. */
    @Override
    public void release() {
        if (released) {
            return;
        }
        released = true;
        signs.shutdownNow();
        try {
            coordinator.post("/v1/runs/" + run + "/result", new ResultNote(true, null));
        } catch (HttpClient.Unreachable | HttpProblem e) {
            LOG.info("held rows {} are released when this process is not heard of: {}", run, e.getMessage());
        }
    }
}
