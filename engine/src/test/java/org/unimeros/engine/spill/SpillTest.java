package org.unimeros.engine.spill;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestTable;

/** Rows come back from scratch files as they went there, or not at all. */
class SpillTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("parcel_id", DataType.LONG),
            Field.of("depot_id", DataType.TEXT),
            Field.of("weight_g", DataType.INT),
            Field.of("battery", DataType.DOUBLE),
            Field.of("fragile", DataType.BOOLEAN),
            Field.of("posted_on", DataType.DATE),
            Field.of("price", new DataType.Decimal(10, 2)));

    private static List<List<Object>> randomRows(Random random, int n) {
        List<List<Object>> rows = new ArrayList<>();
        for (int i = 0; i < n; i++) {
            List<Object> row = Arrays.asList(
                    random.nextLong(),
                    "D" + random.nextInt(5) + "ä".repeat(random.nextInt(3)),
                    random.nextInt(),
                    random.nextDouble(),
                    random.nextBoolean(),
                    LocalDate.of(2031, 3, 1).plusDays(random.nextInt(30)),
                    BigDecimal.valueOf(random.nextInt(10_000), 2));
            for (int c = 0; c < row.size(); c++) {
                if (random.nextInt(5) == 0) {
                    row.set(c, null);
                }
            }
            rows.add(row);
        }
        return rows;
    }

    private static Batch batch(List<List<Object>> rows) {
        return TestTable.toBatch(SCHEMA, rows);
    }

    private static List<List<Object>> rows(Batch batch) {
        return TestTable.toRows(SCHEMA, List.of(batch));
    }

    @Test
    void blocksHoldEveryTypeWithNullsAndWithout() {
        Random random = new Random(5);
        for (int n : new int[] {1, 63, 64, 65, 1000, 5000}) {
            List<List<Object>> rows = randomRows(random, n);
            byte[] block = Blocks.encode(batch(rows));
            assertEquals(rows, rows(Blocks.decode(block, block.length)), n + " rows");
        }
        byte[] empty = Blocks.encode(batch(List.of()));
        assertEquals(0, Blocks.decode(empty, empty.length).rowCount());
    }

    /** A block of the first version, which is never written anew: where its form changes, its number must. */
    @Test
    void blocksOfTheFirstVersionAreRead() throws IOException {
        byte[] golden = Files.readAllBytes(Path.of("src/test/resources/golden/block-1.bin"));
        assertEquals(randomRows(new Random(2031), 500), rows(Blocks.decode(golden, golden.length)));
        golden[0] = 2;
        ResourceFailure e = assertThrows(ResourceFailure.class, () -> Blocks.decode(golden, golden.length));
        assertTrue(e.getMessage().contains("damaged") || e.getMessage().contains("version"), e.getMessage());
    }

    @Test
    void aShortDictionaryStaysOneAndALongOneIsLeftBehind() {
        TextColumn words = new TextColumn("abc".getBytes(), new int[] {0, 1, 2, 3}, null);
        int[] ids = new int[1000];
        Arrays.setAll(ids, i -> i % 3);
        byte[] block = Blocks.encode(new Batch(1000, TextColumn.encoded(ids, words, 3, null)));
        TextColumn back = (TextColumn) Blocks.decode(block, block.length).column(0);
        assertEquals(3, back.entries());
        assertEquals("b", back.text(4));
        byte[] few = Blocks.encode(new Batch(2, TextColumn.encoded(new int[] {2, 0}, words, 3, null)));
        TextColumn plain = (TextColumn) Blocks.decode(few, few.length).column(0);
        assertEquals(0, plain.entries());
        assertEquals("c", plain.text(0));
    }

    @Test
    void nothingOfABlockBeforeIsInTheNextWhereItsBitsAreShorterThanItsRows() {
        int rows = 1000;
        long[] all = new long[Bits.words(rows)];
        Arrays.fill(all, -1);
        byte[] before =
                Blocks.encode(new Batch(rows, new LongColumn(new long[rows], all), new BooleanColumn(all, all)));
        assertTrue(Blocks.decode(before, before.length).column(0).isNull(999));
        long[] first = {1};
        byte[] block =
                Blocks.encode(new Batch(rows, new LongColumn(new long[rows], first), new BooleanColumn(first, first)));
        Batch back = Blocks.decode(block, block.length);
        for (int i = 0; i < rows; i++) {
            assertEquals(i == 0, back.column(0).isNull(i));
            assertEquals(i == 0, back.column(1).isNull(i));
            assertEquals(i == 0, ((BooleanColumn) back.column(1)).value(i));
        }
    }

    @Test
    void anyBitThatChangesIsNoticed() {
        byte[] block = Blocks.encode(batch(randomRows(new Random(6), 200)));
        Random random = new Random(7);
        for (int i = 0; i < 300; i++) {
            byte[] damaged = block.clone();
            damaged[random.nextInt(block.length)] ^= (byte) (1 << random.nextInt(8));
            assertThrows(RuntimeException.class, () -> Blocks.decode(damaged, damaged.length));
        }
        assertThrows(ResourceFailure.class, () -> Blocks.decode(block, block.length - 1));
    }

    @Test
    void aStoreKeepsInMemoryWhatFitsAndGivesItBack() {
        MemoryScratch scratch = new MemoryScratch();
        Workspace workspace = new Workspace(scratch, 400_000, 1);
        OutputStore store = workspace.newStore();
        List<List<List<Object>>> given = new ArrayList<>();
        List<Chunk> chunks = new ArrayList<>();
        Random random = new Random(8);
        for (int i = 0; i < 10; i++) {
            given.add(randomRows(random, 600));
            chunks.add(store.keep(batch(given.get(i))));
        }
        assertTrue(store.spilledBytes() > 0);
        assertEquals(1, scratch.open());
        for (int i = 0; i < 10; i++) {
            assertEquals(given.get(i), rows(chunks.get(i).load()));
            assertEquals(600, chunks.get(i).rows());
        }
        store.close();
        assertEquals(0, scratch.open());
        OutputStore next = workspace.newStore();
        next.keep(batch(given.get(0)));
        assertEquals(0, next.spilledBytes(), "the memory of the first store is free again");
    }

    /** By a clock that goes on by one each time that somebody looks: two looks for each chunk that is written or read. */
    @Test
    void theTimeOfWritingAndReadingScratchIsMeasured() {
        AtomicLong clock = new AtomicLong();
        Workspace workspace = new Workspace(new MemoryScratch(), new ProcessSpace(0, 1), clock::incrementAndGet);
        OutputStore store = workspace.newStore();
        assertEquals(0, store.spillNanos());
        Chunk first = store.keep(batch(randomRows(new Random(9), 50)));
        store.keep(batch(randomRows(new Random(10), 50)));
        assertEquals(2, store.spillNanos());
        first.load();
        assertEquals(3, store.spillNanos());
        StepSpace step = new StepSpace(workspace, 0);
        step.done(filled(step.newFile()));
        filled(step.newFile());
        assertEquals(2, step.spillNanos(), "that of files which are closed counts as well");
    }

    private static SpillFile filled(SpillFile file) {
        file.write(batch(randomRows(new Random(11), 50)));
        return file;
    }

    @Test
    void memoryIsTakenOnlyAsFarAsThereIsSome() {
        MemoryPool pool = new MemoryPool(100);
        assertTrue(pool.tryReserve(60));
        assertFalse(pool.tryReserve(41));
        assertTrue(pool.tryReserve(40));
        pool.release(100);
        assertEquals(0, pool.used());
    }

    @Test
    void theBudgetIsDividedAmongSlotsAndAClosedWorkspaceHasNoFiles() {
        MemoryScratch scratch = new MemoryScratch();
        try (Workspace one = new Workspace(scratch, 1 << 20, 1);
                Workspace four = new Workspace(scratch, 1 << 20, 4)) {
            assertEquals(one.perTask(), 4 * four.perTask());
            assertTrue(new Workspace(scratch, 1L << 40, 1).perTask() <= 1L << 30);
            one.newFile();
            StepSpace space = new StepSpace(four, 10);
            SpillFile first = space.newFile();
            Chunk chunk = first.write(batch(randomRows(new Random(9), 10)));
            assertEquals(first.bytes(), space.spilledBytes());
            assertEquals(10, chunk.load().rowCount());
            space.done(first);
            assertEquals(first.bytes(), space.spilledBytes(), "what was spilled still counts");
            space.newFile();
            space.close();
        }
        assertEquals(0, scratch.open());
    }

    @Test
    void runsOfAProcessShareItsMemory() {
        MemoryScratch scratch = new MemoryScratch();
        ProcessSpace shared = new ProcessSpace(400_000, 2);
        Workspace first = new Workspace(scratch, shared, () -> 0);
        Workspace second = new Workspace(scratch, shared, () -> 0);
        Batch batch = batch(randomRows(new Random(11), 600));
        OutputStore one = first.newStore();
        while (one.spilledBytes() == 0) {
            one.keep(batch);
        }
        OutputStore other = second.newStore();
        other.keep(batch);
        assertTrue(other.spilledBytes() > 0, "the first run has taken all of it");
        first.close();
        one.close();
        OutputStore later = second.newStore();
        later.keep(batch);
        assertEquals(0, later.spilledBytes(), "a closed workspace has given its memory back");
        second.close();
        assertEquals(0, shared.between().used());
    }

    @Test
    void aChunkInMemoryIsTheBatchItself() {
        Batch batch = batch(randomRows(new Random(10), 5));
        assertSame(batch, Chunk.inMemory(batch).load());
        assertEquals(batch.sizeInBytes(), Chunk.inMemory(batch).bytes());
    }
}
