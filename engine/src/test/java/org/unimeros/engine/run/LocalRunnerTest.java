package org.unimeros.engine.run;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.model.TestRuns;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.source.TableSource;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.StagePlanner;

class LocalRunnerTest {

    private static final Schema SCHEMA = Schema.of(Field.of("x", DataType.LONG));

    /** What a split does when its next batch is asked for. */
    private interface Script {
        Batch next(int split, int opened, int batch, ReadContext context);
    }

    /** A table of splits that do what a test says. */
    private record Scripted(int splits, Script script, AtomicInteger opened) implements TableSource {
        @Override
        public String name() {
            return "scripted";
        }

        @Override
        public Schema schema() {
            return SCHEMA;
        }

        @Override
        public ScanPlan plan(ScanRequest request) {
            List<Split> list = new ArrayList<>();
            for (int i = 0; i < splits; i++) {
                list.add(new ScriptedSplit(i, script, opened, new AtomicInteger()));
            }
            return new ScanPlan(list, splits, splits, 0, 0, -1, List.of(), List.of());
        }
    }

    private record ScriptedSplit(int number, Script script, AtomicInteger allOpened, AtomicInteger opened)
            implements Split {
        @Override
        public long bytes() {
            return 1;
        }

        @Override
        public String describe() {
            return "split " + number;
        }

        @Override
        public BatchReader open(ReadContext context) {
            int times = opened.incrementAndGet();
            allOpened.incrementAndGet();
            return new BatchReader() {
                private int batch;

                @Override
                public Batch next() {
                    return script.next(number, times, batch++, context);
                }

                @Override
                public void close() {
                    // nothing to close
                }
            };
        }
    }

    private static Batch one(long value) {
        return new Batch(1, new LongColumn(new long[] {value}, null));
    }

    private static Plan scan(int splits, Script script) {
        return PlanBuilder.scan(new Scripted(splits, script, new AtomicInteger()), null);
    }

    static RunSettings settings(int slots, BadRecordPolicy policy) {
        return new RunSettings(slots, 3, 1 << 20, TestRuns.AMPLE_MEMORY, policy, 5);
    }

    private static PhysicalPlan physical(Plan plan) {
        return StagePlanner.forResult(plan, TestRuns.PLAN_SETTINGS);
    }

    private static List<List<Object>> rows(RunOutcome outcome) {
        return TestRuns.rows(SCHEMA, outcome);
    }

    @Test
    void aTaskThatFailsForWantOfAResourceIsTriedAgain() {
        Plan plan = scan(3, (split, opened, batch, context) -> {
            if (split == 1 && opened < 3) {
                throw new ResourceFailure("the disk is away for a moment");
            }
            return batch == 0 ? one(split) : null;
        });
        RunOutcome outcome = TestRuns.run(physical(plan), settings(2, BadRecordPolicy.FAIL), e -> {});
        assertEquals(List.of(List.of(0L), List.of(1L), List.of(2L)), rows(outcome));
    }

    @Test
    void badDataIsNotTriedAgain() {
        AtomicInteger failures = new AtomicInteger();
        Plan plan = scan(1, (split, opened, batch, context) -> {
            failures.incrementAndGet();
            throw new BadData("line 3 is broken");
        });
        BadData e = assertThrows(
                BadData.class, () -> TestRuns.run(physical(plan), settings(2, BadRecordPolicy.FAIL), x -> {}));
        assertEquals("line 3 is broken", e.getMessage());
        assertEquals(1, failures.get());
    }

    @Test
    void aMistakeOfOurOwnIsReportedAsOne() {
        Plan plan = scan(1, (split, opened, batch, context) -> {
            throw new IllegalStateException("oops");
        });
        InternalFault e = assertThrows(
                InternalFault.class, () -> TestRuns.run(physical(plan), settings(1, BadRecordPolicy.FAIL), x -> {}));
        assertTrue(e.getMessage().contains("oops"), e.getMessage());
    }

    @Test
    void badRecordsOfAttemptsThatFailedAreNotCounted() {
        Plan plan = scan(2, (split, opened, batch, context) -> {
            if (batch == 0) {
                context.badRecord(new BadRecord("split " + split, 0, "broken", new byte[] {(byte) split}), "");
                return one(split);
            }
            if (split == 0 && opened == 1) {
                throw new ResourceFailure("again, please");
            }
            return null;
        });
        List<RunEvent> events = TestRuns.events(physical(plan), settings(2, BadRecordPolicy.SKIP));
        RunEvent.RecordsSkipped skipped = events.stream()
                .filter(RunEvent.RecordsSkipped.class::isInstance)
                .map(RunEvent.RecordsSkipped.class::cast)
                .findFirst()
                .orElseThrow();
        assertEquals(2, skipped.count());
    }

    @Test
    void tooManyBadRecordsFailTheRunNevertheless() {
        Plan plan = scan(1, (split, opened, batch, context) -> {
            context.badRecord(new BadRecord("record " + batch, 0, "broken", new byte[0]), "");
            return one(batch);
        });
        BadData e = assertThrows(
                BadData.class, () -> TestRuns.run(physical(plan), settings(1, BadRecordPolicy.SKIP), x -> {}));
        assertTrue(e.getMessage().startsWith("more than 5 bad records"), e.getMessage());
    }

    @Test
    void aLimitReadsNoMoreSplitsThanItNeeds() {
        AtomicInteger opened = new AtomicInteger();
        TableSource table =
                new Scripted(1000, (split, times, batch, context) -> batch == 0 ? one(split) : null, opened);
        Plan plan = PlanBuilder.limit(PlanBuilder.scan(table, null), 0, 5);
        RunOutcome outcome = TestRuns.run(physical(plan), settings(1, BadRecordPolicy.FAIL), x -> {});
        assertEquals(
                List.of(0L, 1L, 2L, 3L, 4L),
                rows(outcome).stream().map(r -> r.get(0)).toList());
        assertTrue(opened.get() <= 6, "opened " + opened.get());
    }

    @Test
    void aCancelledRunEndsAndLeavesNothing() throws Exception {
        CountDownLatch reading = new CountDownLatch(1);
        Plan plan = scan(1, (split, opened, batch, context) -> {
            reading.countDown();
            return one(batch);
        });
        RecordingSink sink = new RecordingSink();
        PhysicalPlan physical = StagePlanner.forSink(plan, sink, TestRuns.PLAN_SETTINGS);
        LocalRunner runner = TestRuns.runner(physical, settings(1, BadRecordPolicy.FAIL), e -> {});
        Thread canceller = new Thread(() -> {
            try {
                reading.await();
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
            }
            runner.cancel("enough");
        });
        canceller.start();
        RunCancelledException e =
                assertThrows(RunCancelledException.class, () -> runner.run("cancelled-run", "", Map.of()));
        canceller.join();
        assertTrue(e.getMessage().contains("enough"));
        assertEquals(List.of("open 0/0", "abort", "abandon"), sink.log);
        assertFalse(threadNames().contains("cancelled-run"), threadNames());
    }

    @Test
    void onlySuccessfulAttemptsArePublished() {
        Plan plan = scan(1, (split, opened, batch, context) -> {
            if (opened == 1 && batch == 1) {
                throw new ResourceFailure("lost");
            }
            return batch < 2 ? one(batch) : null;
        });
        RecordingSink sink = new RecordingSink();
        RunOutcome outcome = TestRuns.run(
                StagePlanner.forSink(plan, sink, TestRuns.PLAN_SETTINGS), settings(1, BadRecordPolicy.FAIL), e -> {});
        assertEquals(List.of("open 0/0", "abort", "open 0/1", "publish [file-0-1]"), sink.log);
        assertEquals(2, outcome.rows());
    }

    @Test
    void noThreadOutlivesItsRun() {
        TestRuns.run(
                physical(scan(4, (s, o, b, c) -> b == 0 ? one(s) : null)), settings(4, BadRecordPolicy.FAIL), e -> {});
        assertFalse(threadNames().contains("unimeros-test"), threadNames());
    }

    private static String threadNames() {
        return Thread.getAllStackTraces().keySet().stream().map(Thread::getName).collect(Collectors.joining(" "));
    }

    /** Writes down what it is asked to do. */
    private static final class RecordingSink implements TableSink {
        final List<String> log = new ArrayList<>();

        @Override
        public String describe() {
            return "nowhere";
        }

        @Override
        public TaskWriter open(int task, int attempt, TaskScope scope) {
            log.add("open " + task + "/" + attempt);
            return new TaskWriter() {
                private long rows;

                @Override
                public void write(Batch batch) {
                    rows += batch.rowCount();
                }

                @Override
                public TaskOutput finish() {
                    return new TaskOutput(List.of("file-" + task + "-" + attempt), rows, 1);
                }

                @Override
                public void abort() {
                    log.add("abort");
                }
            };
        }

        @Override
        public void publish(List<TaskOutput> outputs) {
            log.add("publish " + outputs.get(0).files());
        }

        @Override
        public void abandon() {
            log.add("abandon");
        }
    }

    /** Eight tasks look rows up in a table of so many, which they make together; the key is the number divided by another. */
    private static RunOutcome lookUp(int rows, long divisor) {
        Plan wanted = scan(8, (split, opened, batch, context) -> batch == 0 ? numbers(split * 1000, 1000) : null);
        Plan known = scan(1, (split, opened, batch, context) -> batch == 0 ? numbers(0, rows) : null);
        Schema both = wanted.schema().concat(known.schema());
        Expression key = Operators.arithmetic("/", PlanBuilder.column(both, 1), new Literal(divisor, DataType.LONG));
        Expression on = Operators.compare("=", PlanBuilder.column(both, 0), key);
        return TestRuns.run(
                physical(PlanBuilder.join(wanted, known, JoinKind.INNER, JoinMethod.COPIED, on)),
                settings(4, BadRecordPolicy.FAIL),
                e -> {});
    }

    private static Batch numbers(int from, int n) {
        return new Batch(
                n,
                new LongColumn(
                        LongStream.range(from, from + n).map(i -> i * 1_000_003).toArray(), null));
    }

    @Test
    void tasksMakeALargeSharedTableTogether() {
        Set<List<Object>> found = new HashSet<>(TestRuns.rows(
                Schema.of(Field.of("x", DataType.LONG), Field.of("y", DataType.LONG)), lookUp(700_000, 1)));
        Set<List<Object>> expected = new HashSet<>();
        for (long i = 0; i < 8000; i++) {
            expected.add(List.of(i * 1_000_003, i * 1_000_003));
        }
        assertEquals(expected, found);
    }

    /** Whoever leads fails, and so does the next one; nobody waits for a table that does not come. */
    @Test
    @Timeout(60)
    void aSharedTableThatCannotBeMadeFailsTheRun() {
        for (int rows : new int[] {10, 700_000}) {
            UnimerosException e = assertThrows(UnimerosException.class, () -> lookUp(rows, 0));
            assertTrue(e.getMessage().contains("zero"), e.getMessage());
        }
    }
}
