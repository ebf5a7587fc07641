package org.unimeros.cluster.coordinator;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.wire.Messages.CopySource;
import org.unimeros.cluster.wire.Messages.Events;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.cluster.wire.Order;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.RunPlan;
import org.unimeros.cluster.wire.StageOutputs;
import org.unimeros.cluster.wire.TaskReport;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.run.Exchange;
import org.unimeros.engine.run.Fleet;
import org.unimeros.engine.run.RunDriver;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.TaskRunner;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.TaskInput;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.Stage;
import org.unimeros.storage.divert.DivertedRecords;

/** One run on workers: its driver in a thread of its own, and what clients and workers ask of it. Thread-safe. */
final class ClusterRun implements Fleet {

    private static final Logger LOG = LoggerFactory.getLogger(ClusterRun.class);
    private static final long STOP_MILLIS = 10_000;
    private static final long PAUSE_MILLIS = 20;
    private static final long TOGETHER_MILLIS = 50;
    private static final int MOST_PRINTED = 100_000;

    private final Submission submission;
    private final RunPlan plan;
    private final Workers workers;
    private final InstantSource clock;
    private final RunDriver driver;
    private final Map<AttemptId, TaskReport> outputs = new ConcurrentHashMap<>();
    private final Replicas replicas;
    private final CopyTree copyTree = new CopyTree();
    private final Map<Integer, byte[]> outputBytes = new HashMap<>();
    private final Map<Integer, Integer> outputVersions = new HashMap<>();
    /** Attempts that a worker may still be at. */
    private final Map<AttemptId, Outstanding> outstanding = new ConcurrentHashMap<>();

    private final Map<String, String> urls = new ConcurrentHashMap<>();
    private final Journal.OfRun journal;
    private final Object inputs = new Object();
    private volatile boolean replaying;
    private final RunListener recorder;
    private boolean isRecorded;

    private final List<RunEvent> events = new ArrayList<>();
    private final Set<Integer> finishedStages = ConcurrentHashMap.newKeySet();
    private final long startedAt;
    private RunState state = RunState.RUNNING;
    private Failure failure;
    private RunDriver.Totals totals = new RunDriver.Totals(0, 0, 0, 0, Map.of());
    private int tasksFinished;
    private int linesPrinted;
    private long endedAt;
    private volatile long clientSeenAt;
    /** How often its client has asked what happened. */
    private int asked;
    /** Whether the client is to ask again at once. */
    private boolean awaitsClient;

    private String cancelled;

    private record Outstanding(String worker, Order.Launch order) {}

    /** What a run asks of the workers of its coordinator. */
    interface Workers {
        void order(String worker, Order order);

        void orderAll(Order order);

        boolean isThere(String worker);

        /** Workers that take new work, those with the least first. */
        List<String> staying();
    }

    /**
     * @param journal keeps what it depends on; null for none
     * @param recorder is told what happens, but for what is done once more from the journal
     */
    ClusterRun(
            Submission submission, Workers workers, Journal.OfRun journal, InstantSource clock, RunListener recorder) {
        this.journal = journal;
        this.recorder = recorder;
        this.submission = submission;
        this.plan = PlanCodec.read(submission.plan(), RunPlan.class);
        this.workers = workers;
        this.clock = clock;
        this.startedAt = clock.millis();
        this.clientSeenAt = startedAt;
        this.replicas = new Replicas(submission.held());
        this.driver = new RunDriver(
                plan.plan(),
                plan.settings(),
                this::happened,
                clock,
                new DivertedRecords(Path.of(plan.badRecords())),
                true);
    }

    String id() {
        return submission.id();
    }

    /** Takes something that happened: keeps it, then acts upon it. */
    void input(RunInput input) {
        synchronized (inputs) {
            if (journal != null && !replaying) {
                try {
                    journal.append(input);
                } catch (ResourceFailure e) {
                    driver.fail(e);
                }
            }
            act(input);
        }
    }

    private void act(RunInput input) {
        switch (input) {
            case RunInput.Submitted i -> {
                // this is it
            }
            case RunInput.WorkerJoined i -> {
                urls.put(i.worker(), i.url());
                driver.workerJoined(i.worker(), i.slots());
            }
            case RunInput.WorkerLeaving i -> {
                replicas.leaving(i.worker());
                driver.workerLeaving(i.worker());
            }
            case RunInput.WorkerLost i -> {
                replicas.lost(i.worker()).forEach(driver::resultMoved);
                driver.workerLost(i.worker(), i.reason());
            }
            case RunInput.Copied i -> copied(i);
            case RunInput.Replicate i -> replicas.want(i.copies());
            case RunInput.Reported i -> reported(i.worker(), i.report());
            case RunInput.ResultTaken i -> driver.resultTaken();
            case RunInput.ResultLost i -> driver.resultLost(i.producer());
            case RunInput.Cancelled i -> cancel(i.reason());
            case RunInput.Failed i -> driver.fail(new ResourceFailure(i.reason()));
            case RunInput.Tick i -> {
                driver.tick();
                orderCopies();
            }
            case RunInput.Warned i -> driver.warn(i.message());
            case RunInput.Ended i -> restore(i.view());
        }
    }

    /** Does once more what was done before the coordinator started again; returns the workers that the run had. */
    Map<String, RunInput.WorkerJoined> replay(List<RunInput> past) {
        Map<String, RunInput.WorkerJoined> joined = new TreeMap<>();
        boolean isOver = past.get(past.size() - 1) instanceof RunInput.Ended;
        replaying = true;
        if (!isOver) {
            start();
        }
        for (RunInput input : isOver ? past.subList(past.size() - 1, past.size()) : past) {
            input(input);
            if (input instanceof RunInput.WorkerJoined j) {
                joined.put(j.worker(), j);
            } else if (input instanceof RunInput.WorkerLost l) {
                joined.remove(l.worker());
            }
            if (!isOver) {
                try {
                    driver.sync();
                } catch (InterruptedException e) {
                    Thread.currentThread().interrupt();
                    throw new ResourceFailure("interrupted while a run was restored", e);
                }
            }
        }
        replaying = false;
        return joined;
    }

    private void copied(RunInput.Copied i) {
        if (!replicas.copied(i.attempt(), i.worker())) {
            order(i.worker(), new Order.Stop(id(), i.attempt()));
            return;
        }
        String place = replicas.places(i.attempt()).get(0);
        driver.resultMoved(i.attempt(), place);
        for (String leaving : replicas.handedOver(i.attempt())) {
            order(leaving, new Order.Stop(id(), i.attempt()));
        }
    }

    /** Has copies made of what is held, and of what workers have that are about to leave. */
    private void orderCopies() {
        if (replaying || !replicas.areAnyWanted()) {
            return;
        }
        List<AttemptId> kept = new ArrayList<>();
        for (Stage stage : plan.plan().stages()) {
            if (!(stage.output() instanceof Output.ToSink)) {
                driver.exchange().kept(stage.id()).forEach(k -> kept.add(k.attempt()));
            }
        }
        replicas.missing(kept, lastStage().id(), workers.staying(), clock.millis())
                .forEach((attempt, worker) -> workers.order(worker, new Order.Copy(id(), attempt)));
    }

    /** From where a worker fetches what a stage made that all of them read. */
    CopySource copySource(int stage, String worker) {
        return copyTree.source(stage, worker, workers.staying().size(), urls);
    }

    /** Tasks that run, or would run if there were slots for them. */
    int slotsWanted() {
        return driver.wanted();
    }

    private synchronized void restore(RunView view) {
        state = view.state();
        failure = view.failure();
        totals = new RunDriver.Totals(view.rows(), view.bytes(), view.files(), view.skippedRecords(), view.counters());
        tasksFinished = view.tasksFinished();
        endedAt = view.endedAt();
    }

    /** Orders that a worker may have missed when the coordinator ended. */
    void orderAgain(String worker) {
        outstanding.values().stream().filter(o -> o.worker.equals(worker)).forEach(o -> workers.order(worker, o.order));
    }

    byte[] planBytes() {
        return submission.plan();
    }

    long clientSeenAt() {
        return clientSeenAt;
    }

    void start() {
        Thread.ofVirtual().name("unimeros-run-" + id()).start(this::run);
    }

    private void run() {
        try {
            driver.drive(id(), submission.title(), submission.settings(), this);
            awaitAttempts();
            awaitClient();
            RunDriver.Totals made = driver.conclude();
            end(RunState.DONE, null, made);
        } catch (RuntimeException e) {
            Failure why = Failure.of(e);
            end(why.kind() == Failure.Kind.CANCELLED ? RunState.CANCELLED : RunState.FAILED, why, totals);
        } finally {
            workers.orderAll(new Order.EndRun(id()));
            outputs.clear();
            if (journal != null) {
                synchronized (inputs) {
                    keepEnd();
                }
            }
        }
    }

    private void cancel(String reason) {
        driver.cancel(reason);
        synchronized (this) {
            cancelled = reason;
            notifyAll();
        }
    }

    /** Nothing is published for a client that is not there any more: it is to ask once more when all is made. */
    private void awaitClient() {
        if (!(lastStage().output() instanceof Output.ToSink)) {
            return;
        }
        synchronized (this) {
            awaitsClient = true;
            notifyAll();
            int before = asked;
            try {
                while (asked == before && cancelled == null) {
                    wait(PAUSE_MILLIS);
                }
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
            }
            awaitsClient = false;
            if (asked == before) {
                driver.withdraw(new RunCancelledException(cancelled == null ? "the coordinator ends" : cancelled));
            }
        }
    }

    private void keepEnd() {
        try {
            journal.append(new RunInput.Ended(view()));
        } catch (ResourceFailure e) {
            LOG.warn("the journal of a run that is over is incomplete", e);
        }
        journal.close();
    }

    /** Attempts that were stopped should be over before what they wrote is removed. */
    private void awaitAttempts() {
        long until = clock.millis() + STOP_MILLIS;
        outstanding.values().removeIf(o -> !workers.isThere(o.worker));
        while (!outstanding.isEmpty() && clock.millis() < until) {
            try {
                Thread.sleep(PAUSE_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                return;
            }
            outstanding.values().removeIf(o -> !workers.isThere(o.worker));
        }
    }

    private synchronized void end(RunState how, Failure why, RunDriver.Totals made) {
        state = how;
        failure = why;
        totals = made;
        endedAt = clock.millis();
        notifyAll();
    }

    synchronized boolean isEnded() {
        return state.isEnded();
    }

    synchronized long endedAt() {
        return endedAt;
    }

    private boolean hasResult() {
        return lastStage().output() instanceof Output.ToResult;
    }

    private Stage lastStage() {
        return plan.plan().stages().get(plan.plan().stages().size() - 1);
    }

    /**
     * What is held is made as soon as it is; that it is kept for a while is not part of its run. A run can end while it is restored, if the process
     * before did not come to it.
     */
    private void record(RunEvent event) {
        boolean isEnd = event instanceof RunEvent.RunEnded;
        if (!isRecorded && (isEnd || !replaying)) {
            isRecorded = isEnd;
            recorder.happened(event);
            if (event instanceof RunEvent.RunStarted && submission.asked() != null) {
                recorder.happened(new RunEvent.Asked(event.at(), submission.asked()));
            }
        }
    }

    private synchronized void happened(RunEvent event) {
        record(event);
        if (!(event instanceof RunEvent.RunStarted)) {
            events.add(event);
        }
        switch (event) {
            case RunEvent.AttemptFinished e -> tasksFinished++;
            case RunEvent.StageFinished e -> {
                finishedStages.add(e.stage());
                if (e.stage() == lastStage().id() && hasResult()) {
                    state = submission.held() ? RunState.HELD : RunState.RESULT_READY;
                    if (submission.held()) {
                        totals = heldTotals();
                        record(new RunEvent.RunEnded(clock.millis(), "done", null, totals.rows(), totals.bytes(), 0));
                    }
                }
            }
            case RunEvent.StageReopened e -> {
                finishedStages.remove(e.stage());
                if (e.stage() == lastStage().id()) {
                    state = RunState.RUNNING;
                }
            }
            default -> {
                // shown as it is
            }
        }
        notifyAll();
    }

    /** Lines that an attempt printed; the first ones of a run, for its client. */
    void printed(String worker, AttemptId attempt, List<String> lines) {
        int before;
        synchronized (this) {
            before = linesPrinted;
            linesPrinted += lines.size();
        }
        if (before < MOST_PRINTED) {
            happened(new RunEvent.Printed(clock.millis(), attempt, worker, lines));
        } else if (before - lines.size() < MOST_PRINTED) {
            happened(new RunEvent.Printed(
                    clock.millis(), attempt, worker, List.of("… what else the tasks of this run print is left out")));
        }
    }

    private RunDriver.Totals heldTotals() {
        long rows = 0;
        long bytes = 0;
        for (Exchange.Kept kept : driver.exchange().kept(lastStage().id())) {
            rows += kept.result().rows();
            for (Part part : kept.result().parts()) {
                bytes += part.bytes();
            }
        }
        return new RunDriver.Totals(rows, bytes, 0, 0, Map.of());
    }

    /**
     * What happened since, waiting for something to happen. What happens in quick succession is told together, unless the client has
     * something to do.
     */
    synchronized Events events(int after, long waitMillis) throws InterruptedException {
        clientSeenAt = clock.millis();
        asked++;
        if (awaitsClient) {
            notifyAll();
        }
        if (after >= events.size() && !isEnded() && !awaitsClient && waitMillis > 0) {
            wait(waitMillis);
        }
        long until = clock.millis() + Math.min(waitMillis, TOGETHER_MILLIS);
        for (long left = TOGETHER_MILLIS; left > 0 && waitMillis > 0 && state == RunState.RUNNING && !awaitsClient; ) {
            wait(left);
            left = until - clock.millis();
        }
        int from = Math.min(after, events.size());
        clientSeenAt = clock.millis();
        return new Events(List.copyOf(events.subList(from, events.size())), events.size(), view());
    }

    synchronized RunView view() {
        return new RunView(
                id(),
                submission.title(),
                submission.job(),
                state,
                plan.plan().stages().size(),
                finishedStages.size(),
                outstanding.size(),
                tasksFinished,
                totals.rows(),
                totals.bytes(),
                totals.files(),
                totals.skippedRecords(),
                totals.counters(),
                driver.exchange().version(lastStage().id()),
                failure,
                startedAt,
                endedAt);
    }

    @Override
    public void launch(AttemptId attempt, String worker, TaskInput input) {
        Map<Integer, Integer> versions = new HashMap<>();
        for (int stage : plan.plan().stage(attempt.stage()).dependencies()) {
            versions.put(stage, driver.exchange().version(stage));
        }
        Order.Launch order = new Order.Launch(id(), attempt, PlanCodec.write(input), versions);
        outstanding.put(attempt, new Outstanding(worker, order));
        order(worker, order);
    }

    /** Workers have their orders of the past already, or get them when they come back. */
    private void order(String worker, Order order) {
        if (!replaying) {
            workers.order(worker, order);
        }
    }

    private void orderAll(Order order) {
        if (!replaying) {
            workers.orderAll(order);
        }
    }

    @Override
    public String workerAt(String place) {
        return urls.entrySet().stream()
                .filter(entry -> entry.getValue().equals(place))
                .map(Map.Entry::getKey)
                .filter(workers::isThere)
                .findFirst()
                .orElse(null);
    }

    @Override
    public void stop(AttemptId attempt, String worker) {
        order(worker, new Order.Stop(id(), attempt));
    }

    @Override
    public void stageFinished(int stage) {
        orderAll(new Order.StageFinished(id(), stage));
    }

    @Override
    public void release(int stage) {
        outputs.keySet().removeIf(attempt -> attempt.stage() == stage);
        replicas.release(stage);
        copyTree.forget(stage);
        orderAll(new Order.Release(id(), stage));
    }

    /** Takes what a worker says of an attempt, if it is still of interest. */
    void report(String worker, Report report) {
        Outstanding known = outstanding.get(report.attempt());
        if (known != null && worker.equals(known.worker)) {
            input(new RunInput.Reported(worker, report));
        }
    }

    private void reported(String worker, Report report) {
        report.warnings().forEach(driver::warn);
        AttemptId attempt = report.attempt();
        switch (report.outcome()) {
            case SUCCEEDED -> succeeded(worker, report);
            case FAILED -> driver.failed(attempt, report.failure().toException(), report.again());
            case INPUT_LOST -> inputLost(attempt, report);
        }
        outstanding.remove(attempt);
    }

    /** What is decided here depends on inputs only, so that it is decided again in the same way from the journal. */
    private void inputLost(AttemptId attempt, Report report) {
        AttemptId producer = report.producer();
        String reason = report.failure().message();
        if (producer == null || replicas.isProbablyThere(producer)) {
            driver.inputLost(attempt, null, reason);
            return;
        }
        if (report.failure().kind() == Failure.Kind.UNREACHABLE) {
            // All that the reader wants from there would be missed, one after the other.
            replicas.besides(producer).forEach(driver::resultLost);
        }
        driver.inputLost(attempt, producer, reason);
    }

    private void succeeded(String worker, Report report) {
        AttemptId attempt = report.attempt();
        TaskReport made;
        try {
            made = PlanCodec.read(report.result(), TaskReport.class);
        } catch (ResourceFailure e) {
            driver.failed(attempt, e, true);
            return;
        }
        outputs.put(attempt, made.forReaders());
        replicas.made(attempt, worker);
        TaskRunner.Done done = new TaskRunner.Done(
                made.result((part, chunk, rows, bytes) -> Chunk.elsewhere(rows, bytes, () -> {
                    throw new IllegalStateException("the coordinator reads no rows");
                })),
                made.steps(),
                made.use());
        driver.succeeded(attempt, done, made.noted());
    }

    /** Where the output of a stage is, as {@link StageOutputs}. */
    byte[] outputs(int stage) {
        synchronized (outputBytes) {
            int version = driver.exchange().version(stage);
            if (!Integer.valueOf(version).equals(outputVersions.get(stage))) {
                List<StageOutputs.Output> list = new ArrayList<>();
                for (Exchange.Kept kept : driver.exchange().kept(stage)) {
                    TaskReport report = outputs.get(kept.attempt());
                    List<String> places = replicas.places(kept.attempt()).stream()
                            .map(urls::get)
                            .toList();
                    if (report != null && !places.isEmpty()) {
                        list.add(new StageOutputs.Output(kept.attempt(), places, report));
                    }
                }
                outputBytes.put(stage, PlanCodec.write(new StageOutputs(version, list)));
                outputVersions.put(stage, version);
            }
            return outputBytes.get(stage);
        }
    }

    int stages() {
        return plan.plan().stages().size();
    }
}
