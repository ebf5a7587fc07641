package org.unimeros.cluster.transfer;

import java.io.DataInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.Json;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.BlockRequest;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.schedule.AttemptId;

/** Fetches blocks from workers, many in one request. Thread-safe. */
public final class BlockFetcher {

    /** In place of the length of a block that is not there. */
    private static final int GONE = -1;

    /** As long as a coordinator is patient with a worker. */
    private static final int PATIENCE_MILLIS = 10_000;
    /** So long nobody is asked again who did not answer, since every question would be waited for. */
    private static final long UNREACHABLE_NANOS = 5_000_000_000L;

    private static final int MOST_BLOCK = 1 << 30;
    private static final int BUFFERS = 16;
    private static final int LEAST_BUFFER = 256 << 10;
    private static final int MOST_KEPT = 4 << 20;

    private final ClusterAccess access;
    private final Map<String, HttpClient> clients = new ConcurrentHashMap<>();
    private final BlockingQueue<byte[]> buffers = new ArrayBlockingQueue<>(BUFFERS);
    /** Who did not answer, and when. */
    private final Map<String, Long> unreachable = new ConcurrentHashMap<>();

    private final AtomicLong fetchedBytes = new AtomicLong();

    public BlockFetcher(ClusterAccess access) {
        this.access = access;
    }

    /**
     * The answer to a request, piece by piece: how many lengths there are, the lengths, and the blocks; null stands for one that is not there, behind which
     * nothing comes.
     */
    public static List<ByteBuffer> answer(List<byte[]> blocks) {
        List<ByteBuffer> pieces = new ArrayList<>(blocks.size() + 1);
        ByteBuffer lengths = ByteBuffer.allocate(Integer.BYTES * (1 + blocks.size()));
        lengths.putInt(blocks.size());
        pieces.add(lengths);
        for (byte[] block : blocks) {
            lengths.putInt(block == null ? GONE : block.length);
            if (block != null) {
                pieces.add(ByteBuffer.wrap(block));
            }
        }
        lengths.flip();
        return pieces;
    }

    /** Bytes that came over the network so far. */
    public long fetchedBytes() {
        return fetchedBytes.get();
    }

    /** Takes a block, which is overwritten afterwards. */
    @FunctionalInterface
    public interface Taker {
        /** @param index of what was asked for */
        void take(int index, byte[] block, int length);
    }

    /**
     * Hands over blocks in the order in which they are asked for; again from the first one on, when one worker could give only some.
     *
     * @param urls of workers that have them; the next one is asked when they cannot be had from one
     * @throws LostInputException when one cannot be had from any
     */
    public void fetch(List<String> urls, String run, List<BlockRef> refs, Taker taker) {
        LostInputException lost = null;
        for (String url : urls) {
            try {
                fetch(url, run, refs, taker);
                return;
            } catch (LostInputException e) {
                lost = e;
            }
        }
        if (lost == null) {
            throw new LostInputException(
                    refs.get(0).attempt(), "nobody has what " + refs.get(0).attempt() + " had made", null);
        }
        throw lost;
    }

    private void fetch(String url, String run, List<BlockRef> refs, Taker taker) {
        Long since = unreachable.get(url);
        AttemptId attempt = refs.get(0).attempt();
        if (since != null && System.nanoTime() - since < UNREACHABLE_NANOS) {
            throw LostInputException.unreachable(
                    attempt, "cannot fetch what " + attempt + " had made: " + url + " did not answer lately", null);
        }
        HttpClient client = clients.computeIfAbsent(url, u -> new HttpClient(u, access, PATIENCE_MILLIS));
        byte[] request = Json.write(new BlockRequest(run, refs));
        try {
            client.call("POST", "/v1/blocks", request, in -> {
                read(in, url, refs, taker);
                return true;
            });
            unreachable.remove(url);
        } catch (HttpClient.Unreachable e) {
            unreachable.put(url, System.nanoTime());
            throw LostInputException.unreachable(
                    attempt, "cannot fetch what " + attempt + " had made: " + e.getMessage(), e);
        } catch (HttpProblem e) {
            throw new LostInputException(attempt, "cannot fetch what " + attempt + " had made: " + e.getMessage(), e);
        }
    }

    private void read(InputStream stream, String url, List<BlockRef> refs, Taker taker) throws IOException {
        DataInputStream in = new DataInputStream(stream);
        int count = in.readInt();
        if (count < 1 || count > refs.size()) {
            throw new IOException(count + " blocks for " + refs.size());
        }
        int[] lengths = new int[count];
        for (int i = 0; i < lengths.length; i++) {
            lengths[i] = in.readInt();
            if (lengths[i] == GONE) {
                AttemptId attempt = refs.get(i).attempt();
                throw new LostInputException(
                        attempt, "what " + attempt + " had made is not at " + url + " any more", null);
            }
            if (lengths[i] < 0 || lengths[i] > MOST_BLOCK) {
                throw new IOException("a block of " + lengths[i] + " bytes");
            }
        }
        if (count < refs.size()) {
            throw new IOException("only " + count + " blocks of " + refs.size());
        }
        byte[] block = buffer(Arrays.stream(lengths).max().orElse(0));
        try {
            for (int i = 0; i < count; i++) {
                in.readFully(block, 0, lengths[i]);
                fetchedBytes.addAndGet(lengths[i]);
                taker.take(i, block, lengths[i]);
            }
        } finally {
            if (block.length <= MOST_KEPT) {
                buffers.offer(block);
            }
        }
    }

    /** Memory for a block, used again and again: to make new memory for each takes as long as to fetch it. */
    private byte[] buffer(int length) {
        byte[] used = buffers.poll();
        return used != null && used.length >= length ? used : new byte[Math.max(LEAST_BUFFER, length)];
    }
}
