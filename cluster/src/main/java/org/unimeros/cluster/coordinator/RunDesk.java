package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.time.InstantSource;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.Messages.CopyNote;
import org.unimeros.cluster.wire.Messages.Events;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.cluster.wire.Messages.Print;
import org.unimeros.cluster.wire.Messages.ResultNote;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.cluster.wire.Messages.WantedCopies;
import org.unimeros.cluster.wire.Order;
import org.unimeros.cluster.wire.Version;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.RunListener;

/** The runs of a coordinator: what clients, and the workers of runs, ask of them. Thread-safe. */
final class RunDesk {

    private static final Logger LOG = LoggerFactory.getLogger(RunDesk.class);
    private static final long MOST_WAIT_MILLIS = 20_000;
    private static final long LONELY_MILLIS = 3_000;
    private static final long CLOSE_MILLIS = 10_000;
    private static final long CLOSE_PAUSE_MILLIS = 20;
    private static final int MOST_COPIES = 100;
    /** So long after its end all of a run is kept, for a client that has not heard yet what happened last. */
    private static final long SETTLED_MILLIS = 60_000;

    private static final long KEPT_MILLIS = TimeUnit.HOURS.toMillis(1);

    private final Coordinator.Config config;
    private final Journal journal;
    private final Host host;
    private final InstantSource clock;
    private final Map<String, ClusterRun> runs = new ConcurrentHashMap<>();
    /** Runs that have ended a while ago, of which only this is kept. */
    private final Map<String, RunView> past = new ConcurrentHashMap<>();
    /** Runs that have no worker. Used by the monitor only. */
    private final Map<String, Lonely> lonely = new HashMap<>();

    /** What runs ask of their coordinator. */
    interface Host {
        Map<String, WorkerEntry> workers();

        /** The worker that a request is from, which is there. */
        WorkerEntry worker(Call call);

        /** Notes that a run was asked for by a job. */
        void belongs(String run, String job);

        String url();
    }

    /** Since when a run has no worker, and whether it was told. */
    private static final class Lonely {
        private final long from;
        private boolean told;

        Lonely(long from) {
            this.from = from;
        }
    }

    /** @param journal null for none */
    RunDesk(Coordinator.Config config, Journal journal, Host host, InstantSource clock) {
        this.config = config;
        this.journal = journal;
        this.host = host;
        this.clock = clock;
    }

    void routes(HttpService http) {
        http.on("POST", "/v1/runs", this::submit);
        http.on("GET", "/v1/runs", call -> call.answer(views()));
        http.on("GET", "/v1/runs/{run}", call -> call.answer(view(call)));
        http.on("GET", "/v1/runs/{run}/events", this::events);
        http.on(
                "GET",
                "/v1/runs/{run}/plan",
                call -> call.answer("application/octet-stream", run(call).planBytes()));
        http.on("GET", "/v1/runs/{run}/stages/{stage}/outputs", this::outputs);
        http.on("GET", "/v1/workers/{worker}/runs/{run}/stages/{stage}/source", this::copySource);
        http.on("POST", "/v1/runs/{run}/result", this::result);
        http.on("POST", "/v1/runs/{run}/replicas", this::replicas);
        http.on("POST", "/v1/workers/{worker}/copies", this::copies);
        http.on("POST", "/v1/workers/{worker}/prints", this::prints);
        http.on("POST", "/v1/runs/{run}/cancel", this::cancel);
    }

    private ClusterRun run(Submission submission, boolean goesOn) {
        RunListener recorder = config.pages() == null
                ? event -> {
                    // nobody looks
                }
                : config.pages().recorder(submission.id(), goesOn);
        return new ClusterRun(submission, new Orders(), journalOf(submission.id()), clock, recorder);
    }

    private Journal.OfRun journalOf(String run) {
        return journal == null ? null : journal.of(run);
    }

    /** Brings the runs of the journal to where they were; returns the workers that they had, by name. */
    Map<String, Offer> restore() {
        Map<String, Offer> had = new TreeMap<>();
        for (List<RunInput> inputs : journal.read()) {
            Submission submission = ((RunInput.Submitted) inputs.get(0)).submission();
            try {
                restore(submission, inputs, had);
            } catch (ResourceFailure e) {
                // Jars of another version wrote it; its clients hear that there is no such run.
                LOG.warn("run {} cannot go on: {}", submission.id(), e.getMessage());
                journalOf(submission.id()).delete();
            }
        }
        return had;
    }

    private void restore(Submission submission, List<RunInput> inputs, Map<String, Offer> had) {
        ClusterRun run = run(submission, true);
        runs.put(run.id(), run);
        Map<String, RunInput.WorkerJoined> joined = run.replay(inputs);
        if (!run.isEnded()) {
            joined.forEach(
                    (name, j) -> had.put(name, new Offer(j.url(), j.slots(), j.programs(), Version.current(), "", 0)));
        }
        LOG.info("run {} is restored from {} entries", run.id(), inputs.size());
    }

    /** The runs of the last hour, oldest first. */
    List<RunView> views() {
        return Stream.concat(past.values().stream(), runs.values().stream().map(ClusterRun::view))
                .sorted(Comparator.comparingLong(RunView::startedAt).thenComparing(RunView::id))
                .toList();
    }

    List<ClusterRun> active() {
        return runs.values().stream().filter(r -> !r.isEnded()).toList();
    }

    /** A run that is under way. */
    Optional<ClusterRun> find(String id) {
        ClusterRun run = id == null ? null : runs.get(id);
        return run == null || run.isEnded() ? Optional.empty() : Optional.of(run);
    }

    /** Tells all runs that are under way. */
    void tellAll(RunInput input) {
        active().forEach(run -> run.input(input));
    }

    private RunView view(Call call) {
        RunView ended = past.get(call.path("run"));
        return ended == null ? run(call).view() : ended;
    }

    private ClusterRun run(Call call) {
        ClusterRun run = runs.get(call.path("run"));
        if (run == null) {
            throw new HttpProblem(404, "there is no run " + call.path("run"));
        }
        return run;
    }

    private void submit(Call call) throws IOException {
        Submission submission = call.json(Submission.class);
        if (submission.id() == null || !submission.id().matches("[A-Za-z0-9._-]{1,100}") || submission.plan() == null) {
            throw new HttpProblem(400, "a run needs an id of letters, digits and dashes, and a plan");
        }
        RunView ended = past.get(submission.id());
        if (ended != null) {
            call.answer(ended);
            return;
        }
        ClusterRun run = run(submission, false);
        // A submission that is repeated because its answer was lost is the same run.
        ClusterRun known = runs.putIfAbsent(submission.id(), run);
        if (known == null && submission.job() != null) {
            try {
                host.belongs(submission.id(), submission.job());
            } catch (HttpProblem e) {
                runs.remove(submission.id());
                throw e;
            }
        }
        if (known == null) {
            run.input(new RunInput.Submitted(submission, clock.millis()));
            host.workers().values().stream()
                    .filter(w -> !w.isLeaving())
                    .forEach(w -> run.input(new RunInput.WorkerJoined(w.name(), w.slots(), w.programs(), w.url())));
            run.start();
            LOG.info("run {}: {}", run.id(), submission.title());
        }
        call.answer((known == null ? run : known).view());
    }

    private void events(Call call) throws IOException {
        int after = (int) call.number("after", 0, Integer.MAX_VALUE);
        long wait = call.number("wait", 0, MOST_WAIT_MILLIS);
        RunView ended = past.get(call.path("run"));
        if (ended != null) {
            call.answer(new Events(List.of(), after, ended));
            return;
        }
        try {
            call.answer(run(call).events(after, Math.min(wait, config.clientPatienceMillis() / 2)));
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new HttpProblem(503, "the coordinator is closing");
        }
    }

    private void outputs(Call call) throws IOException {
        ClusterRun run = run(call);
        call.answer("application/octet-stream", run.outputs(stage(call, run)));
    }

    private static int stage(Call call, ClusterRun run) {
        int stage;
        try {
            stage = Integer.parseInt(call.path("stage"));
        } catch (NumberFormatException e) {
            throw new HttpProblem(400, "a stage is a number");
        }
        if (stage < 1 || stage > run.stages()) {
            throw new HttpProblem(404, "the run has no stage " + stage);
        }
        return stage;
    }

    private void copySource(Call call) throws IOException {
        WorkerEntry entry = host.worker(call);
        ClusterRun run = run(call);
        call.answer(run.copySource(stage(call, run), entry.name()));
    }

    private void result(Call call) throws IOException {
        ResultNote note = call.json(ResultNote.class);
        if (past.containsKey(call.path("run"))) {
            call.done();
            return;
        }
        if (note.taken()) {
            run(call).input(new RunInput.ResultTaken());
        } else if (note.lost() != null) {
            run(call).input(new RunInput.ResultLost(note.lost()));
        }
        call.done();
    }

    private void replicas(Call call) throws IOException {
        WantedCopies wanted = call.json(WantedCopies.class);
        if (wanted.copies() < 1 || wanted.copies() > MOST_COPIES) {
            throw new HttpProblem(400, "copies are 1 to " + MOST_COPIES);
        }
        ClusterRun run = run(call);
        if (run.view().state() != RunState.HELD && run.view().state() != RunState.RUNNING) {
            throw new HttpProblem(409, "run " + run.id() + " holds nothing");
        }
        run.input(new RunInput.Replicate(wanted.copies()));
        call.done();
    }

    private void prints(Call call) throws IOException {
        WorkerEntry entry = host.worker(call);
        for (Print print : call.json(Print[].class)) {
            if (print.attempt() != null && print.lines() != null) {
                find(print.run()).ifPresent(run -> run.printed(entry.name(), print.attempt(), print.lines()));
            }
        }
        call.done();
    }

    private void copies(Call call) throws IOException {
        WorkerEntry entry = host.worker(call);
        CopyNote note = call.json(CopyNote.class);
        if (note.attempt() != null) {
            find(note.run()).ifPresent(run -> run.input(new RunInput.Copied(entry.name(), note.attempt())));
        }
        call.done();
    }

    private void cancel(Call call) {
        if (!past.containsKey(call.path("run"))) {
            run(call).input(new RunInput.Cancelled("on request"));
        }
        call.done();
    }

    /** Lets time go by. */
    void watch(long now) {
        for (ClusterRun run : runs.values()) {
            watch(run, now);
        }
        past.values().removeIf(ended -> {
            boolean isOld = now - ended.endedAt() > KEPT_MILLIS;
            if (isOld && journal != null) {
                journalOf(ended.id()).delete();
            }
            return isOld;
        });
    }

    private void watch(ClusterRun run, long now) {
        if (run.isEnded()) {
            if (now - run.endedAt() > SETTLED_MILLIS) {
                past.put(run.id(), run.view());
                runs.remove(run.id());
                lonely.remove(run.id());
            }
            return;
        }
        run.input(new RunInput.Tick());
        if (now - run.clientSeenAt() > config.clientPatienceMillis()) {
            run.input(new RunInput.Cancelled(
                    "its client was not heard of for " + (now - run.clientSeenAt()) / 1000 + " s"));
        }
        if (!host.workers().isEmpty()) {
            lonely.remove(run.id());
            return;
        }
        Lonely since = lonely.computeIfAbsent(run.id(), id -> new Lonely(now));
        if (now - since.from > LONELY_MILLIS && !since.told) {
            since.told = true;
            run.input(new RunInput.Warned(
                    "there is no worker; the run waits for one (unimeros worker --coordinator " + host.url() + ")"));
        }
        if (now - since.from > config.lonelyMillis()) {
            run.input(new RunInput.Failed("there was no worker for " + (now - since.from) / 1000
                    + " s; start some (unimeros worker --coordinator " + host.url() + "), and run again"));
        }
    }

    /** Cancels what runs, and waits a while until it has undone what it began. */
    void close() {
        tellAll(new RunInput.Cancelled("the coordinator was closed"));
        long until = clock.millis() + CLOSE_MILLIS;
        while (!active().isEmpty() && clock.millis() < until) {
            try {
                Thread.sleep(CLOSE_PAUSE_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                break;
            }
        }
    }

    /** Hands orders to workers that are there. */
    private final class Orders implements ClusterRun.Workers {
        @Override
        public void order(String worker, Order order) {
            WorkerEntry entry = host.workers().get(worker);
            if (entry != null) {
                if (order instanceof Order.Launch launch) {
                    entry.running().add(launch.run() + " " + launch.attempt());
                }
                entry.order(order);
            }
        }

        @Override
        public void orderAll(Order order) {
            host.workers().values().forEach(entry -> entry.order(order));
        }

        @Override
        public List<String> staying() {
            return host.workers().values().stream()
                    .filter(WorkerEntry::staysHere)
                    .sorted(Comparator.comparingInt(
                                    (WorkerEntry w) -> w.running().size())
                            .thenComparing(WorkerEntry::name))
                    .map(WorkerEntry::name)
                    .toList();
        }

        @Override
        public boolean isThere(String worker) {
            return host.workers().containsKey(worker);
        }
    }
}
