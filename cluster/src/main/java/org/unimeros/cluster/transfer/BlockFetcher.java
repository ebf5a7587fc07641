package org.unimeros.cluster.transfer;

import java.io.DataInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.Json;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.BlockRequest;
import org.unimeros.engine.run.LostInputException;

/** Fetches blocks from workers, many in one request. Thread-safe. */
public final class BlockFetcher {

    /** In place of the length of a block that is not there. */
    private static final int GONE = -1;

    private static final int PATIENCE_MILLIS = 30_000;
    private static final int MOST_BLOCK = 1 << 30;

    private final ClusterAccess access;
    private final Map<String, HttpClient> clients = new ConcurrentHashMap<>();
    private final AtomicLong fetchedBytes = new AtomicLong();

    public BlockFetcher(ClusterAccess access) {
        this.access = access;
    }

    /** The answer to a request: blocks behind their lengths; null stands for one that is not there. */
    public static byte[] answer(List<byte[]> blocks) {
        int size = 0;
        for (byte[] block : blocks) {
            size = Math.addExact(size, Integer.BYTES + (block == null ? 0 : block.length));
        }
        ByteBuffer all = ByteBuffer.allocate(size);
        for (byte[] block : blocks) {
            if (block == null) {
                all.putInt(GONE);
            } else {
                all.putInt(block.length).put(block);
            }
        }
        return all.array();
    }

    /** Bytes that came over the network so far. */
    public long fetchedBytes() {
        return fetchedBytes.get();
    }

    /**
     * The blocks, in the order in which they are asked for.
     *
     * @param urls of workers that have them; the next one is asked when they cannot be had from one
     * @throws LostInputException when one cannot be had from any
     */
    public List<byte[]> fetch(List<String> urls, String run, List<BlockRef> refs) {
        LostInputException lost = null;
        for (String url : urls) {
            try {
                return fetch(url, run, refs);
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

    private List<byte[]> fetch(String url, String run, List<BlockRef> refs) {
        HttpClient client = clients.computeIfAbsent(url, u -> new HttpClient(u, access, PATIENCE_MILLIS));
        byte[] request = Json.write(new BlockRequest(run, refs));
        try {
            return client.call("POST", "/v1/blocks", request, in -> read(in, url, refs));
        } catch (HttpClient.Unreachable | HttpProblem e) {
            throw new LostInputException(
                    refs.get(0).attempt(),
                    "cannot fetch what " + refs.get(0).attempt() + " had made: " + e.getMessage(),
                    e);
        }
    }

    private List<byte[]> read(InputStream stream, String url, List<BlockRef> refs) throws IOException {
        DataInputStream in = new DataInputStream(stream);
        List<byte[]> blocks = new ArrayList<>(refs.size());
        for (BlockRef ref : refs) {
            int length = in.readInt();
            if (length == GONE) {
                throw new LostInputException(
                        ref.attempt(), "what " + ref.attempt() + " had made is not at " + url + " any more", null);
            }
            if (length < 0 || length > MOST_BLOCK) {
                throw new IOException("a block of " + length + " bytes");
            }
            byte[] block = new byte[length];
            in.readFully(block);
            fetchedBytes.addAndGet(length);
            blocks.add(block);
        }
        return blocks;
    }
}
