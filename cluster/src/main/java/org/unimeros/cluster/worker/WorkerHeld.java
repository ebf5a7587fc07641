package org.unimeros.cluster.worker;

import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.transfer.BlockFetcher;
import org.unimeros.cluster.transfer.ReadAhead;
import org.unimeros.cluster.transfer.RemoteBlock;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.ResultNote;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.StageOutputs;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.own.HeldPieces;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.spill.Chunk;

/**
 * What runs hold for repeated questions, as the tasks of a worker get at it: here, or at another worker. What is lost is told to the
 * coordinator, which has it made again; whoever wanted it gives its slot away until then. Thread-safe.
 */
final class WorkerHeld implements HeldPieces {

    private static final long PATIENCE_MILLIS = 2_000;
    private static final long RETRY_MILLIS = 100;

    private final HttpClient coordinator;
    private final BlockFetcher fetcher;
    private final Function<String, WorkerRun> runs;
    private final Map<String, Known> known = new ConcurrentHashMap<>();

    /** Where the pieces of a run were, when it was asked last. */
    private record Known(int stage, StageOutputs outputs) {}

    /** @param runs what this worker has of a run; null for nothing */
    WorkerHeld(HttpClient coordinator, BlockFetcher fetcher, Function<String, WorkerRun> runs) {
        this.coordinator = coordinator;
        this.fetcher = fetcher;
        this.runs = runs;
    }

    @Override
    public Iterator<Batch> open(String held, int piece) {
        long until = System.nanoTime() + PATIENCE_MILLIS * 1_000_000;
        while (true) {
            Optional<StageOutputs.Output> output = find(known.computeIfAbsent(held, this::ask), piece);
            if (output.isPresent()) {
                return batches(held, output.get());
            }
            known.remove(held);
            if (System.nanoTime() > until) {
                throw new LostInputException(
                        null, "piece " + piece + " of the held rows " + held + " is being made again", null);
            }
            pause();
        }
    }

    private static Optional<StageOutputs.Output> find(Known known, int piece) {
        return known.outputs.outputs().stream()
                .filter(o -> o.attempt().task() == piece)
                .findFirst();
    }

    private static void pause() {
        try {
            Thread.sleep(RETRY_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new ResourceFailure("interrupted while held rows were waited for", e);
        }
    }

    private Known ask(String held) {
        try {
            RunView run = coordinator.get("/v1/runs/" + held, RunView.class);
            if (run.state().isEnded()) {
                throw new UserMistake("the held rows " + held + " were released");
            }
            byte[] bytes = coordinator.getBytes("/v1/runs/" + held + "/stages/" + run.stages() + "/outputs");
            return new Known(run.stages(), PlanCodec.read(bytes, StageOutputs.class));
        } catch (HttpProblem e) {
            throw new UserMistake("the held rows " + held + " were released", e);
        } catch (HttpClient.Unreachable e) {
            throw new ResourceFailure("cannot find out where the held rows " + held + " are: " + e.getMessage(), e);
        }
    }

    private Iterator<Batch> batches(String held, StageOutputs.Output output) {
        WorkerRun run = runs.apply(held);
        TaskResult here = run == null ? null : run.made(output.attempt());
        TaskResult result = here != null
                ? here
                : output.report()
                        .result((part, chunk, rows, bytes) -> Chunk.elsewhere(
                                rows,
                                bytes,
                                new RemoteBlock(
                                        fetcher,
                                        output.urlsFor(held),
                                        held,
                                        new BlockRef(output.attempt(), part, chunk))));
        List<Chunk> chunks = ReadAhead.together(
                result.parts().stream().flatMap(part -> part.chunks().stream()).toList());
        Iterator<Chunk> left = chunks.iterator();
        return new Iterator<>() {
            @Override
            public boolean hasNext() {
                return left.hasNext();
            }

            @Override
            public Batch next() {
                try {
                    return left.next().load();
                } catch (LostInputException e) {
                    lost(held, output);
                    throw new LostInputException(null, "held rows: " + e.getMessage(), e);
                }
            }
        };
    }

    private void lost(String held, StageOutputs.Output output) {
        known.remove(held);
        try {
            coordinator.post("/v1/runs/" + held + "/result", new ResultNote(false, output.attempt()));
        } catch (HttpClient.Unreachable | HttpProblem e) {
            throw new ResourceFailure("cannot tell that held rows are lost: " + e.getMessage(), e);
        }
    }

    /** Where things are is asked anew. */
    void forget(String held) {
        known.remove(held);
    }
}
