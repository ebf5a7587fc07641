package org.unimeros.cluster.transfer;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.Executor;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.spill.Chunk;

/**
 * Fetches chunks that are read one after the other some time before they are read, from several workers at once and many in one
 * request. What is fetched and not read yet is limited; a chunk that is read out of turn is fetched alone. Thread-safe.
 */
public final class ReadAhead {

    /** Bytes, as they are in memory, of the chunks of one window; two are held at most. */
    private static final long WINDOW_BYTES = 8L << 20;

    private static final Executor EXECUTOR =
            task -> Thread.ofVirtual().name("unimeros-fetch").start(task);

    private final List<Chunk> chunks;
    private Window current;
    private Window following;
    private int expected;

    private ReadAhead(List<Chunk> chunks) {
        this.chunks = chunks;
    }

    /** The same chunks, fetched together where they are not here. */
    public static List<Chunk> together(List<Chunk> chunks) {
        if (chunks.stream().allMatch(chunk -> chunk.source() == null)) {
            return chunks;
        }
        ReadAhead all = new ReadAhead(List.copyOf(chunks));
        List<Chunk> together = new ArrayList<>(chunks.size());
        for (int i = 0; i < chunks.size(); i++) {
            Chunk chunk = chunks.get(i);
            int index = i;
            together.add(
                    chunk.source() == null
                            ? chunk
                            : Chunk.elsewhere(chunk.rows(), chunk.bytes(), () -> all.load(index)));
        }
        return together;
    }

    private Batch load(int index) {
        RemoteBlock remote = (RemoteBlock) chunks.get(index).source();
        CompletableFuture<Batch> rows = rows(index);
        if (rows == null) {
            return remote.get();
        }
        try {
            return rows.join();
        } catch (CompletionException e) {
            if (e.getCause() instanceof RuntimeException cause) {
                throw cause;
            }
            throw e;
        }
    }

    private synchronized CompletableFuture<Batch> rows(int index) {
        boolean inTurn = index >= expected && index < expected + chunks.size();
        boolean isNext = inTurn && chunks.subList(expected, index).stream().allMatch(c -> c.source() == null);
        expected = index + 1;
        if (current == null || !current.covers(index)) {
            if (!isNext) {
                return null;
            }
            current = following != null && following.covers(index) ? following : new Window(index);
            following = current.end < chunks.size() ? new Window(current.end) : null;
        }
        return current.rows.remove(index);
    }

    /** Chunks that are fetched at the same time. */
    private final class Window {
        private final int from;
        private final int end;
        private final Map<Integer, CompletableFuture<Batch>> rows = new HashMap<>();

        Window(int from) {
            this.from = from;
            Map<List<String>, List<Integer>> byWorker = new HashMap<>();
            long bytes = 0;
            int i = from;
            while (i < chunks.size() && (i == from || bytes + chunks.get(i).bytes() <= WINDOW_BYTES)) {
                if (chunks.get(i).source() instanceof RemoteBlock remote) {
                    bytes += chunks.get(i).bytes();
                    byWorker.computeIfAbsent(remote.urls(), u -> new ArrayList<>())
                            .add(i);
                }
                i++;
            }
            this.end = i;
            byWorker.values().forEach(this::fetch);
        }

        private void fetch(List<Integer> indices) {
            RemoteBlock first = (RemoteBlock) chunks.get(indices.get(0)).source();
            List<BlockRef> refs = indices.stream()
                    .map(i -> ((RemoteBlock) chunks.get(i).source()).ref())
                    .toList();
            List<CompletableFuture<Batch>> all = new ArrayList<>();
            for (int i : indices) {
                CompletableFuture<Batch> one = new CompletableFuture<>();
                all.add(one);
                rows.put(i, one);
            }
            EXECUTOR.execute(() -> {
                try {
                    first.fetcher().fetch(first.urls(), first.run(), refs, (i, block, length) -> {
                        RemoteBlock remote =
                                (RemoteBlock) chunks.get(indices.get(i)).source();
                        all.get(i).complete(remote.decode(block, length));
                    });
                } catch (RuntimeException e) {
                    all.forEach(one -> one.completeExceptionally(e));
                }
            });
        }

        boolean covers(int index) {
            return index >= from && index < end;
        }
    }
}
