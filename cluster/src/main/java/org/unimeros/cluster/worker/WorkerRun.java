package org.unimeros.cluster.worker;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Queue;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Function;
import java.util.function.Supplier;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.OpenFiles;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.transfer.BlockFetcher;
import org.unimeros.cluster.transfer.ReadAhead;
import org.unimeros.cluster.transfer.RemoteBlock;
import org.unimeros.cluster.transfer.StageCopy;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.CopySource;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.RunPlan;
import org.unimeros.cluster.wire.StageOutputs;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.join.PairGuard;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.own.HeldPieces;
import org.unimeros.engine.own.JobFiles;
import org.unimeros.engine.run.AttemptLog;
import org.unimeros.engine.run.Exchange;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.TaskRunner;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.OutputStore;
import org.unimeros.engine.spill.Workspace;

/** What a worker has of one run: its plan, what its tasks made, and where others have what they read. Thread-safe. */
final class WorkerRun implements AutoCloseable {

    private static final CopySource NOBODY = new CopySource(null, false);

    private final String id;
    private final RunPlan plan;
    private final HttpClient coordinator;
    private final BlockFetcher fetcher;
    private final Workspace workspace;
    private final Function<FileRef, Path> place;
    private final String url;
    private final Supplier<String> worker;
    /** The files of the job, fetched and opened when a task first needs one. Guarded by this. */
    private OpenFiles files;

    private final Exchange exchange = new Exchange(new Reading());
    /** What stages made that all workers read, while it is handed on. */
    private final Map<Integer, StageCopy> copies = new ConcurrentHashMap<>();

    private final TaskRunner tasks;
    private final Map<AttemptId, TaskResult> made = new ConcurrentHashMap<>();
    private final Map<AttemptId, AtomicBoolean> stopped = new ConcurrentHashMap<>();
    private final Map<Integer, Integer> versions = new HashMap<>();
    private final Queue<String> warnings = new ConcurrentLinkedQueue<>();
    private final AtomicLong badRecordsSeen = new AtomicLong();
    private volatile boolean closed;

    WorkerRun(
            String id,
            RunPlan plan,
            HttpClient coordinator,
            BlockFetcher fetcher,
            Workspace workspace,
            Function<FileRef, Path> place,
            String url,
            Supplier<String> worker,
            HeldPieces held) {
        this.worker = worker;
        this.url = url;
        this.id = id;
        this.plan = plan;
        this.coordinator = coordinator;
        this.fetcher = fetcher;
        this.workspace = workspace;
        this.place = place;
        PairGuard pairs =
                new PairGuard(plan.settings().pairsLimit(), plan.settings().failsOverPairs());
        this.tasks = new TaskRunner(
                plan.plan(), workspace, exchange, pairs, System::nanoTime, warnings::add, brought(), held);
    }

    private final class Reading implements Exchange.Reading {
        @Override
        public List<Chunk> inTurn(List<Chunk> chunks) {
            return ReadAhead.together(chunks);
        }

        @Override
        public List<Chunk> everywhere(int stage, List<Chunk> chunks) {
            List<RemoteBlock> blocks = new ArrayList<>();
            long bytes = 0;
            for (Chunk chunk : chunks) {
                if (chunk.source() instanceof RemoteBlock remote) {
                    blocks.add(remote);
                    bytes += chunk.bytes();
                }
            }
            CopySource source = blocks.isEmpty() ? NOBODY : sourceOf(stage);
            if (!source.hands() && source.url() == null) {
                return ReadAhead.together(chunks);
            }
            StageCopy copy = StageCopy.begin(blocks, bytes, source.url(), workspace.between());
            if (copy == null) {
                return ReadAhead.together(chunks);
            }
            StageCopy before = copies.put(stage, copy);
            if (before != null) {
                before.close();
            }
            if (closed) {
                copy.close();
            }
            return copy.chunks(chunks);
        }
    }

    private CopySource sourceOf(int stage) {
        try {
            return coordinator.get(
                    "/v1/workers/" + worker.get() + "/runs/" + id + "/stages/" + stage + "/source", CopySource.class);
        } catch (HttpClient.Unreachable | HttpProblem e) {
            // Those that made it can always be asked.
            return NOBODY;
        }
    }

    private void dropCopy(int stage) {
        StageCopy copy = copies.remove(stage);
        if (copy != null) {
            copy.close();
        }
    }

    private JobFiles brought() {
        return new JobFiles() {
            @Override
            public ClassLoader loader() {
                return files().loader();
            }

            @Override
            public String attachment(String name) {
                return files().attachment(name);
            }

            @Override
            public Set<String> names() {
                return files().names();
            }

            @Override
            public Object shared(String key, Supplier<Object> value) {
                return files().shared(key, value);
            }
        };
    }

    private synchronized OpenFiles files() {
        if (files == null) {
            files = new OpenFiles(plan.files(), place);
        }
        return files;
    }

    private synchronized void closeFiles() {
        if (files != null) {
            files.close();
        }
    }

    RunSettings settings() {
        return plan.settings();
    }

    TaskRunner tasks() {
        return tasks;
    }

    AttemptLog newLog() {
        return new AttemptLog(plan.settings(), badRecordsSeen);
    }

    /** What tasks have warned of since this was asked last. */
    List<String> newWarnings() {
        List<String> all = new ArrayList<>();
        for (String warning = warnings.poll(); warning != null; warning = warnings.poll()) {
            all.add(warning);
        }
        return all;
    }

    /** Whether the attempt was ordered before. */
    boolean knows(AttemptId attempt) {
        return stopped.containsKey(attempt);
    }

    /** Whether an attempt is to stop; asked from the moment it is ordered. */
    AtomicBoolean stopFlag(AttemptId attempt) {
        AtomicBoolean flag = stopped.computeIfAbsent(attempt, a -> new AtomicBoolean());
        if (closed) {
            flag.set(true);
        }
        return flag;
    }

    /** Keeps what an attempt made, for others to fetch, unless nobody wants it any more. */
    void keep(AttemptId attempt, TaskResult result) {
        made.put(attempt, result);
        if (stopFlag(attempt).get()) {
            drop(attempt);
        }
    }

    void stop(AttemptId attempt) {
        stopFlag(attempt).set(true);
        drop(attempt);
    }

    private void drop(AttemptId attempt) {
        TaskResult result = made.remove(attempt);
        if (result != null) {
            Exchange.close(result);
        }
    }

    /** Gets to know where the output of stages is, at least as of the given versions. */
    void know(Map<Integer, Integer> wanted) {
        synchronized (versions) {
            for (Map.Entry<Integer, Integer> stage : wanted.entrySet()) {
                if (versions.getOrDefault(stage.getKey(), 0) < stage.getValue()) {
                    read(stage.getKey());
                }
            }
        }
    }

    private void read(int stage) {
        StageOutputs outputs = outputsOf(stage);
        List<Exchange.Kept> kept = new ArrayList<>();
        for (StageOutputs.Output output : outputs.outputs()) {
            TaskResult here = made.get(output.attempt());
            kept.add(new Exchange.Kept(output.attempt(), here == null ? elsewhere(output) : here));
        }
        exchange.keepAll(stage, kept);
        versions.put(stage, outputs.version());
    }

    private StageOutputs outputsOf(int stage) {
        try {
            return PlanCodec.read(
                    coordinator.getBytes("/v1/runs/" + id + "/stages/" + stage + "/outputs"), StageOutputs.class);
        } catch (HttpClient.Unreachable | HttpProblem e) {
            throw new ResourceFailure(
                    "cannot find out where the output of stage " + stage + " is: " + e.getMessage(), e);
        }
    }

    /** Fetches what an attempt made elsewhere, to have it as well; false when it is not there any more. */
    boolean copy(AttemptId attempt) {
        if (made.containsKey(attempt)) {
            return true;
        }
        for (StageOutputs.Output output : outputsOf(attempt.stage()).outputs()) {
            if (output.attempt().equals(attempt)) {
                keep(attempt, copied(elsewhere(output)));
                return made.containsKey(attempt);
            }
        }
        return false;
    }

    private TaskResult copied(TaskResult there) {
        OutputStore store = workspace.newStore();
        boolean complete = false;
        try {
            List<Part> parts = new ArrayList<>();
            for (Part part : there.parts()) {
                List<Chunk> chunks = new ArrayList<>();
                for (Chunk chunk : ReadAhead.together(part.chunks())) {
                    chunks.add(store.keep(chunk.load()));
                }
                parts.add(new Part(chunks, part.rows(), part.bytes()));
            }
            complete = true;
            return new TaskResult(there.rows(), parts, store, there.sketch(), there.runStarts(), there.written());
        } finally {
            if (!complete) {
                store.close();
            }
        }
    }

    /** What an attempt made here, or fetched; null when it is not here. */
    TaskResult made(AttemptId attempt) {
        return made.get(attempt);
    }

    /** Whether others could miss something if this were gone. */
    boolean hasMade() {
        return !made.isEmpty();
    }

    private TaskResult elsewhere(StageOutputs.Output output) {
        return output.report()
                .result((part, chunk, rows, bytes) -> Chunk.elsewhere(
                        rows,
                        bytes,
                        new RemoteBlock(
                                fetcher, output.urlsFor(url), id, new BlockRef(output.attempt(), part, chunk))));
    }

    /** A block that an attempt of this worker made; null when it is not there. */
    byte[] block(BlockRef ref) {
        TaskResult result = made.get(ref.attempt());
        StageCopy copy = result == null ? copies.get(ref.attempt().stage()) : null;
        if (copy != null) {
            return copy.block(ref);
        }
        if (result == null || ref.part() < 0 || ref.part() >= result.parts().size()) {
            return null;
        }
        Part part = result.parts().get(ref.part());
        if (ref.chunk() < 0 || ref.chunk() >= part.chunks().size()) {
            return null;
        }
        try {
            return part.chunks().get(ref.chunk()).block();
        } catch (ResourceFailure e) {
            return null;
        }
    }

    void stageFinished(int stage) {
        tasks.stageFinished(stage);
    }

    void release(int stage) {
        synchronized (versions) {
            versions.remove(stage);
        }
        exchange.keepAll(stage, List.of());
        dropCopy(stage);
        for (AttemptId attempt : List.copyOf(made.keySet())) {
            if (attempt.stage() == stage) {
                drop(attempt);
            }
        }
    }

    /** Bytes of scratch files and memory are given back; attempts that still run stop at their next batch. */
    @Override
    public void close() {
        closed = true;
        stopped.values().forEach(flag -> flag.set(true));
        List.copyOf(made.keySet()).forEach(this::drop);
        List.copyOf(copies.keySet()).forEach(this::dropCopy);
        workspace.close();
        closeFiles();
    }
}
