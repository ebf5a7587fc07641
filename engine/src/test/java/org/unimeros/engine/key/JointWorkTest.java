package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicIntegerArray;
import java.util.function.IntConsumer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

@Timeout(60)
class JointWorkTest {

    private final JointWork work = new JointWork();

    private Thread helper(Runnable behind) {
        return Thread.ofPlatform().start(() -> {
            work.help();
            behind.run();
        });
    }

    @Test
    void everyPieceOfEveryStepIsDoneOnceAndBeforeTheNextStep() throws InterruptedException {
        AtomicInteger back = new AtomicInteger();
        List<Thread> helpers = new ArrayList<>();
        AtomicIntegerArray done = new AtomicIntegerArray(50);
        for (int step = 0; step < 200; step++) {
            int before = step;
            if (step % 50 == 1) {
                helpers.add(helper(back::incrementAndGet));
            }
            work.each(done.length(), piece -> assertEquals(before, done.getAndIncrement(piece)));
            for (int piece = 0; piece < done.length(); piece++) {
                assertEquals(before + 1, done.get(piece));
            }
        }
        assertEquals(0, back.get());
        work.end();
        for (Thread helper : helpers) {
            helper.join();
        }
        assertEquals(4, back.get());
        work.help();
    }

    /** The second piece is begun only when the first one is under way, so that both need a thread. */
    @Test
    void thoseWhoWaitTakePart() throws InterruptedException {
        Thread helper = helper(() -> {});
        CountDownLatch both = new CountDownLatch(2);
        List<Thread> threads = new ArrayList<>();
        work.each(2, piece -> {
            both.countDown();
            await(both);
            synchronized (threads) {
                threads.add(Thread.currentThread());
            }
        });
        work.end();
        helper.join();
        assertEquals(2, threads.stream().distinct().count());
        assertTrue(threads.contains(helper));
    }

    /** Whoever does the piece that fails, the leader hears of it, and nothing else is begun. */
    @ParameterizedTest
    @ValueSource(booleans = {false, true})
    void aPieceThatFailsIsTheLeadersFailure(boolean byHelper) throws InterruptedException {
        AtomicInteger back = new AtomicInteger();
        Thread helper = byHelper ? helper(back::incrementAndGet) : null;
        IllegalArgumentException broken = new IllegalArgumentException("broken");
        AtomicInteger begun = new AtomicInteger();
        CountDownLatch failing = new CountDownLatch(1);
        IntConsumer piece = number -> {
            begun.incrementAndGet();
            if (Thread.currentThread() == helper || !byHelper && number == 3) {
                failing.countDown();
                throw broken;
            }
            await(byHelper ? failing : new CountDownLatch(0));
        };
        assertSame(broken, assertThrows(IllegalArgumentException.class, () -> work.each(1_000_000, piece)));
        assertTrue(byHelper || begun.get() == 4);
        work.end();
        if (byHelper) {
            helper.join();
        }
        assertEquals(byHelper ? 1 : 0, back.get());
    }

    private static void await(CountDownLatch latch) {
        try {
            latch.await();
        } catch (InterruptedException e) {
            throw new IllegalStateException(e);
        }
    }

    @Test
    void aHelperThatIsInterruptedStaysAndRemembersIt() throws InterruptedException {
        List<Boolean> interrupted = new ArrayList<>();
        Thread helper = helper(() -> interrupted.add(Thread.currentThread().isInterrupted()));
        helper.interrupt();
        AtomicInteger sum = new AtomicInteger();
        work.each(10, sum::addAndGet);
        assertEquals(45, sum.get());
        assertFalse(helper.join(Duration.ofMillis(50)));
        work.end();
        helper.join();
        assertEquals(List.of(true), interrupted);
    }
}
