package org.unimeros.cluster.transfer;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.MemoryPool;

/**
 * What a stage made that all workers read, fetched once and handed on to other workers while it comes: blocks are kept as they came until the stage is
 * released. One thread fetches; any number waits for blocks. Thread-safe.
 */
public final class StageCopy implements AutoCloseable {

    /** Blocks that are asked for in one request. */
    private static final int TOGETHER = 64;

    private static final long PATIENCE_MILLIS = 8_000;
    private static final long LOOK_MILLIS = 1_000;

    private final List<RemoteBlock> wanted;
    private final Map<BlockRef, Integer> places = new HashMap<>();
    private final byte[][] blocks;
    private final MemoryPool memory;
    private final long reserved;
    /** Why no more blocks come; guarded by this, as the blocks. */
    private RuntimeException failure;

    private boolean closed;

    private StageCopy(List<RemoteBlock> wanted, MemoryPool memory, long reserved) {
        this.wanted = wanted;
        this.blocks = new byte[wanted.size()][];
        this.memory = memory;
        this.reserved = reserved;
        for (int i = 0; i < wanted.size(); i++) {
            places.put(wanted.get(i).ref(), i);
        }
    }

    /**
     * Begins to fetch blocks; null when there is no memory for them.
     *
     * @param source the worker that is asked before those that made them; null for none
     */
    public static StageCopy begin(List<RemoteBlock> blocks, long bytes, String source, MemoryPool memory) {
        if (!memory.tryReserve(bytes)) {
            return null;
        }
        StageCopy copy = new StageCopy(from(blocks, source), memory, bytes);
        Thread.ofVirtual().name("unimeros-copy").start(copy::fetch);
        return copy;
    }

    /** The same blocks, asked for at another worker first. */
    public static List<RemoteBlock> from(List<RemoteBlock> blocks, String source) {
        if (source == null) {
            return blocks;
        }
        return blocks.stream()
                .map(b -> {
                    List<String> urls = new ArrayList<>(List.of(source));
                    urls.addAll(b.urls());
                    return new RemoteBlock(b.fetcher(), urls, b.run(), b.ref());
                })
                .toList();
    }

    /** The chunks in whose place the blocks come; others stay. */
    public List<Chunk> chunks(List<Chunk> chunks) {
        List<Chunk> all = new ArrayList<>(chunks.size());
        for (Chunk chunk : chunks) {
            if (chunk.source() instanceof RemoteBlock remote) {
                int place = places.get(remote.ref());
                all.add(Chunk.elsewhere(chunk.rows(), chunk.bytes(), () -> rows(place)));
            } else {
                all.add(chunk);
            }
        }
        return all;
    }

    private Batch rows(int place) {
        byte[] block = await(place, Long.MAX_VALUE);
        return wanted.get(place).decode(block, block.length);
    }

    /** A block for another worker, waited for while it is on its way; null when it does not come. */
    public byte[] block(BlockRef ref) {
        Integer place = places.get(ref);
        try {
            return place == null ? null : await(place, TimeUnit.MILLISECONDS.toNanos(PATIENCE_MILLIS));
        } catch (LostInputException e) {
            return null;
        }
    }

    private synchronized byte[] await(int place, long mostNanos) {
        long start = System.nanoTime();
        while (blocks[place] == null && failure == null && !closed && System.nanoTime() - start < mostNanos) {
            try {
                wait(LOOK_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                throw new LostInputException(null, "interrupted while copied rows were waited for", e);
            }
        }
        if (blocks[place] == null) {
            throw failure instanceof LostInputException lost
                    ? lost
                    : new LostInputException(null, "copied rows did not come", failure);
        }
        return blocks[place];
    }

    private void fetch() {
        try {
            int from = 0;
            while (from < wanted.size() && !isClosed()) {
                int end = from;
                Map<List<String>, List<Integer>> byWorker = new LinkedHashMap<>();
                for (; end < wanted.size() && end - from < TOGETHER; end++) {
                    byWorker.computeIfAbsent(wanted.get(end).urls(), u -> new ArrayList<>())
                            .add(end);
                }
                byWorker.values().forEach(this::fetch);
                from = end;
            }
        } catch (RuntimeException e) {
            fail(e);
        }
    }

    private void fetch(List<Integer> some) {
        RemoteBlock first = wanted.get(some.get(0));
        List<BlockRef> refs = some.stream().map(i -> wanted.get(i).ref()).toList();
        first.fetcher()
                .fetch(
                        first.urls(),
                        first.run(),
                        refs,
                        (i, block, length) -> keep(some.get(i), Arrays.copyOf(block, length)));
    }

    private synchronized void keep(int place, byte[] block) {
        if (!closed) {
            blocks[place] = block;
            notifyAll();
        }
    }

    private synchronized void fail(RuntimeException e) {
        failure = e;
        notifyAll();
    }

    private synchronized boolean isClosed() {
        return closed;
    }

    /** Forgets all blocks. Can be called more than once. */
    @Override
    public synchronized void close() {
        if (!closed) {
            closed = true;
            Arrays.fill(blocks, null);
            memory.release(reserved);
            notifyAll();
        }
    }
}
