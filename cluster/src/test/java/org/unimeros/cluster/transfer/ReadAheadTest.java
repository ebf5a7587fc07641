package org.unimeros.cluster.transfer;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.BlockRequest;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.spill.Blocks;
import org.unimeros.engine.spill.Chunk;

/** Blocks from two made-up workers, which can also be gone, damaged or cut short. */
class ReadAheadTest {

    private static final int CHUNKS = 300;
    /** As if a chunk were large, so that few of them are fetched at a time. */
    private static final long BYTES = 1 << 20;

    private final BlockFetcher fetcher = new BlockFetcher(ClusterAccess.NONE);
    private final List<HttpService> workers = new ArrayList<>();
    private final List<String> urls = new ArrayList<>();
    private final AtomicInteger requests = new AtomicInteger();
    private volatile Fault fault = Fault.NONE;

    private enum Fault {
        NONE,
        GONE,
        DAMAGED,
        CUT
    }

    @BeforeEach
    void start() {
        for (int w = 0; w < 2; w++) {
            HttpService worker = new HttpService(null, 0, ClusterAccess.NONE);
            worker.on("POST", "/v1/blocks", this::answer);
            urls.add(worker.start());
            workers.add(worker);
        }
    }

    @AfterEach
    void end() {
        workers.forEach(HttpService::close);
    }

    private void answer(HttpService.Call call) throws IOException {
        requests.incrementAndGet();
        BlockRequest request = call.json(BlockRequest.class);
        List<byte[]> blocks = new ArrayList<>();
        boolean isHit = false;
        for (BlockRef ref : request.blocks()) {
            byte[] block = Blocks.encode(batch(ref.chunk()));
            isHit = ref.chunk() == 150;
            if (isHit && fault == Fault.DAMAGED) {
                block[block.length - 1]++;
            }
            blocks.add(isHit && fault == Fault.GONE ? null : block);
            if (isHit && (fault == Fault.GONE || fault == Fault.CUT)) {
                break;
            }
        }
        List<ByteBuffer> answer = BlockFetcher.answer(blocks);
        if (isHit && fault == Fault.CUT) {
            ByteBuffer last = answer.get(answer.size() - 1);
            last.limit(last.limit() - 3);
        }
        call.answer("application/octet-stream", answer);
    }

    private static Batch batch(int chunk) {
        return new Batch(2, new LongColumn(new long[] {chunk, -chunk}, null));
    }

    private List<Chunk> chunks() {
        List<Chunk> chunks = new ArrayList<>();
        for (int c = 0; c < CHUNKS; c++) {
            // Every seventh is here already.
            chunks.add(
                    c % 7 == 0
                            ? Chunk.inMemory(batch(c))
                            : Chunk.elsewhere(
                                    2,
                                    BYTES,
                                    new RemoteBlock(
                                            fetcher,
                                            List.of(urls.get(c % 2)),
                                            "r",
                                            new BlockRef(new AttemptId(1, c, 0), 0, c))));
        }
        return ReadAhead.together(chunks);
    }

    private static void assertIs(int expected, Chunk chunk) {
        LongColumn column = (LongColumn) chunk.load().column(0);
        assertEquals(expected, column.values()[0]);
        assertEquals(-expected, column.values()[1]);
    }

    @Test
    void chunksThatAreReadInTurnAreFetchedManyAtATime() {
        List<Chunk> chunks = chunks();
        for (int c = 0; c < CHUNKS; c++) {
            assertIs(c, chunks.get(c));
        }
        assertTrue(requests.get() < CHUNKS / 2, requests + " requests");
        assertTrue(fetcher.fetchedBytes() > 0);
    }

    @Test
    void chunksThatAreReadOutOfTurnOrTwiceAreThereAsWell() {
        List<Chunk> chunks = chunks();
        Random random = new Random(3);
        for (int i = 0; i < 500; i++) {
            int c = random.nextInt(CHUNKS);
            assertIs(c, chunks.get(c));
            if (random.nextInt(3) == 0 && c + 1 < CHUNKS) {
                assertIs(c + 1, chunks.get(c + 1));
            }
        }
    }

    @Test
    void aBlockThatIsGoneDamagedOrCutNamesTheAttemptThatMadeIt() {
        for (Fault each : List.of(Fault.GONE, Fault.DAMAGED, Fault.CUT)) {
            fault = each;
            List<Chunk> chunks = chunks();
            LostInputException lost = assertThrows(LostInputException.class, () -> {
                for (int c = 0; c < CHUNKS; c++) {
                    assertIs(c, chunks.get(c));
                }
            });
            if (each != Fault.CUT) {
                assertEquals(new AttemptId(1, 150, 0), lost.producer(), each.toString());
            }
            assertTrue(lost.getMessage().contains("had made"), lost.getMessage());
        }
    }

    @Test
    void aWorkerThatDoesNotAnswerIsALoss() {
        workers.get(1).close();
        List<Chunk> chunks = chunks();
        LostInputException lost =
                assertThrows(LostInputException.class, () -> chunks.get(1).load());
        assertEquals(new AttemptId(1, 1, 0), lost.producer());
    }
}
