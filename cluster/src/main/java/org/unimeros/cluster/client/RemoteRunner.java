package org.unimeros.cluster.client;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.transfer.BlockFetcher;
import org.unimeros.cluster.transfer.ReadAhead;
import org.unimeros.cluster.transfer.RemoteBlock;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.Events;
import org.unimeros.cluster.wire.Messages.ResultNote;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.RunPlan;
import org.unimeros.cluster.wire.StageOutputs;
import org.unimeros.engine.error.Callers;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.Runner;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.OutputStore;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.PhysicalPlan;

/** Has a coordinator carry out one run, follows it, and brings its rows here. Used by one thread, but for {@link #cancel}. */
public final class RemoteRunner implements Runner {

    private static final Logger LOG = LoggerFactory.getLogger(RemoteRunner.class);
    private static final int READ_MILLIS = 30_000;
    private static final long WAIT_MILLIS = 2_000;
    private static final long RETRY_MILLIS = 200;

    private final PhysicalPlan plan;
    private final RunSettings settings;
    private final RunListener listener;
    private final InstantSource clock;
    private final String badRecords;
    private final Scratch scratch;
    private final ProcessSpace space;
    private final HttpClient coordinator;
    private final long patienceMillis;
    private final String job;
    private final JobPack files;
    private final BlockFetcher fetcher;
    private final ClusterAccess access;
    private final String coordinatorUrl;
    private boolean held;
    private volatile String cancelled;
    private String runId;
    private boolean ended;
    private boolean toldOfWaiting;

    /**
     * @param badRecords the file for diverted records, as the coordinator sees it
     * @param patienceMillis how long a coordinator that does not answer is waited for
     * @param job the job that the run belongs to; null for none
     * @param files what the job brings along
     */
    public RemoteRunner(
            PhysicalPlan plan,
            RunSettings settings,
            RunListener listener,
            InstantSource clock,
            String badRecords,
            Scratch scratch,
            ProcessSpace space,
            String coordinatorUrl,
            ClusterAccess access,
            long patienceMillis,
            String job,
            JobPack files) {
        this.access = access;
        this.coordinatorUrl = coordinatorUrl;
        this.patienceMillis = patienceMillis;
        this.job = job;
        this.files = files;
        this.plan = plan;
        this.settings = settings;
        this.listener = listener;
        this.clock = clock;
        this.badRecords = badRecords;
        this.scratch = scratch;
        this.space = space;
        this.coordinator = new HttpClient(coordinatorUrl, access, READ_MILLIS);
        this.fetcher = new BlockFetcher(access);
    }

    @Override
    public void cancel(String reason) {
        cancelled = reason;
    }

    @Override
    public RunOutcome run(String id, String title, Map<String, String> shownSettings) {
        return carryOut(id, title, shownSettings);
    }

    /** The rows stay on workers until they are released, or this process ends. */
    @Override
    public RemoteHeld hold(String id, String title, Map<String, String> shownSettings) {
        held = true;
        RunOutcome outcome = carryOut(id, title, shownSettings);
        outcome.workspace().close();
        return new RemoteHeld(coordinatorUrl, access, id, outcome);
    }

    private RunOutcome carryOut(String id, String title, Map<String, String> shownSettings) {
        this.runId = id;
        Workspace workspace = new Workspace(scratch, space, System::nanoTime);
        boolean succeeded = false;
        listener.happened(new RunEvent.RunStarted(clock.millis(), id, title, plan.outline(), shownSettings, 0));
        try {
            Optional<String> asked = Callers.line();
            byte[] travelling = PlanCodec.write(new RunPlan(plan, settings, badRecords, files.refs()));
            files.refs().forEach(ref -> send(ref, files.path(ref)));
            ask(() -> coordinator.post(
                    "/v1/runs",
                    new Submission(id, title, shownSettings, travelling, job, held, asked.orElse(null)),
                    RunView.class));
            RunOutcome outcome = follow(workspace);
            succeeded = true;
            return outcome;
        } catch (UnimerosException e) {
            if (!ended) {
                giveUp();
                listener.happened(new RunEvent.RunEnded(clock.millis(), "failed", e.getMessage(), 0, 0, 0));
            }
            throw e;
        } catch (RunCancelledException e) {
            if (!ended) {
                listener.happened(new RunEvent.RunEnded(clock.millis(), "cancelled", e.getMessage(), 0, 0, 0));
            }
            throw e;
        } finally {
            if (!succeeded) {
                workspace.close();
            }
        }
    }

    /** Sends a file that the coordinator does not have yet. */
    private void send(FileRef ref, Path file) {
        String path = "/v1/files/" + ref.hash();
        ask(() -> {
            if (!coordinator.has(path)) {
                coordinator.put(path, file);
            }
            return true;
        });
    }

    /** Nobody waits for the run any more; should that not be heard, it ends by itself. */
    private void giveUp() {
        try {
            coordinator.post("/v1/runs/" + runId + "/cancel", Map.of());
        } catch (HttpClient.Unreachable | HttpProblem e) {
            LOG.debug("the run was not cancelled", e);
        }
    }

    private RunOutcome follow(Workspace workspace) {
        int next = 0;
        boolean taken = false;
        boolean cancelTold = false;
        int lostVersion = -1;
        List<Chunk> rows = List.of();
        while (true) {
            int after = next;
            Events events = ask(() -> coordinator.get(
                    "/v1/runs/" + runId + "/events?after=" + after + "&wait=" + WAIT_MILLIS, Events.class));
            next = events.next();
            // Those of a later version say nothing here.
            events.events().stream().filter(Objects::nonNull).forEach(this::happened);
            RunView run = events.run();
            if (cancelled != null && !cancelTold) {
                cancelTold = true;
                ask(() -> {
                    coordinator.post("/v1/runs/" + runId + "/cancel", Map.of());
                    return true;
                });
            }
            boolean isReady = run.state() == RunState.RESULT_READY && run.resultVersion() != lostVersion;
            if (isReady && !taken) {
                try {
                    rows = fetch(workspace);
                    taken = true;
                    tell(new ResultNote(true, null));
                } catch (LostInputException e) {
                    lostVersion = run.resultVersion();
                    tell(new ResultNote(false, e.producer()));
                }
            }
            boolean isOver = run.state().isEnded();
            if (isOver && !ended) {
                // A coordinator that started again knows how the run ended, but not all that happened before.
                String reason = run.failure() == null ? null : run.failure().text();
                happened(new RunEvent.RunEnded(
                        run.endedAt(),
                        run.state().name().toLowerCase(Locale.ROOT),
                        reason,
                        run.rows(),
                        run.bytes(),
                        run.files()));
            }
            switch (run.state()) {
                case HELD -> {
                    happened(new RunEvent.RunEnded(clock.millis(), "done", null, run.rows(), run.bytes(), 0));
                    return new RunOutcome(
                            List.of(), run.rows(), run.bytes(), 0, run.skippedRecords(), run.counters(), workspace);
                }
                case DONE -> {
                    return new RunOutcome(
                            rows,
                            run.rows(),
                            run.bytes(),
                            run.files(),
                            run.skippedRecords(),
                            run.counters(),
                            workspace);
                }
                case FAILED -> throw run.failure().toException();
                case CANCELLED ->
                    throw cancelled == null ? run.failure().toException() : new RunCancelledException(cancelled);
                default -> {
                    // goes on
                }
            }
        }
    }

    private void happened(RunEvent event) {
        ended |= event instanceof RunEvent.RunEnded;
        listener.happened(event);
    }

    private void tell(ResultNote note) {
        ask(() -> {
            coordinator.post("/v1/runs/" + runId + "/result", note);
            return true;
        });
    }

    /** Brings the rows here, so that they are there whatever becomes of the workers. */
    private List<Chunk> fetch(Workspace workspace) {
        int last = plan.stages().size();
        byte[] bytes = ask(() -> coordinator.getBytes("/v1/runs/" + runId + "/stages/" + last + "/outputs"));
        List<Chunk> there = new ArrayList<>();
        for (StageOutputs.Output output :
                PlanCodec.read(bytes, StageOutputs.class).outputs()) {
            for (Part part : output.report()
                    .result((p, chunk, rows, size) -> Chunk.elsewhere(
                            rows,
                            size,
                            new RemoteBlock(fetcher, output.urls(), runId, new BlockRef(output.attempt(), p, chunk))))
                    .parts()) {
                there.addAll(part.chunks());
            }
        }
        OutputStore store = workspace.newStore();
        List<Chunk> here = new ArrayList<>();
        try {
            for (Chunk chunk : ReadAhead.together(there)) {
                here.add(store.keep(chunk.load()));
            }
        } catch (LostInputException e) {
            store.close();
            throw e;
        }
        return here;
    }

    /** A question to the coordinator. */
    private interface Question<T> {
        T ask();
    }

    /** Asks until there is an answer, for a limited time. Every question can be repeated. */
    private <T> T ask(Question<T> question) {
        long until = clock.millis() + patienceMillis;
        while (true) {
            try {
                return question.ask();
            } catch (HttpClient.Unreachable e) {
                if (clock.millis() > until || Thread.currentThread().isInterrupted()) {
                    throw new ResourceFailure(
                            "the coordinator at " + coordinator.base() + " does not answer: " + e.getMessage(), e);
                }
                if (cancelled != null) {
                    throw new RunCancelledException(cancelled);
                }
                tellOfWaiting(e);
                try {
                    Thread.sleep(RETRY_MILLIS);
                } catch (InterruptedException interrupted) {
                    Thread.currentThread().interrupt();
                }
            } catch (HttpProblem e) {
                throw e.status() < 500
                        ? new UserMistake("the coordinator at " + coordinator.base() + " refuses: " + e.getMessage(), e)
                        : new ResourceFailure("the coordinator at " + coordinator.base() + ": " + e.getMessage(), e);
            }
        }
    }

    private void tellOfWaiting(HttpClient.Unreachable e) {
        if (!toldOfWaiting) {
            toldOfWaiting = true;
            listener.happened(new RunEvent.Warning(
                    clock.millis(),
                    e.getMessage() + "; waiting for the coordinator, up to " + patienceMillis / 1_000 + " s"));
        }
    }
}
