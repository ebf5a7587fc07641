package org.unimeros.engine.spill;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.Semaphore;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** Who gets the slots of a process when there are too few. */
@Timeout(30)
class SlotsTest {

    private final ProcessSpace space = new ProcessSpace(1 << 20, 2);
    private final List<String> order = Collections.synchronizedList(new ArrayList<>());
    private final List<Thread> tasks = new ArrayList<>();
    /** A permit lets one task of a run end. */
    private final Map<String, Semaphore> ends = new ConcurrentHashMap<>();

    @AfterEach
    void allSlotsAreBack() throws InterruptedException {
        for (Thread task : tasks) {
            task.join();
        }
        assertTrue(space.takeSlot("last", 0, () -> false));
        assertTrue(space.takeSlot("last", 0, () -> false));
    }

    /** Tasks that wait for slots, one after the other. */
    private void tasks(String run, int priority, int count) throws InterruptedException {
        for (int i = 0; i < count; i++) {
            CountDownLatch waits = new CountDownLatch(1);
            Thread task = new Thread(() -> {
                try {
                    space.takeSlot(run, priority, () -> {
                        waits.countDown();
                        return false;
                    });
                    order.add(run);
                    ends(run).acquire();
                    space.giveSlot(run);
                } catch (InterruptedException e) {
                    Thread.currentThread().interrupt();
                }
            });
            tasks.add(task);
            task.start();
            waits.await();
            // It has asked whether it is stopped, which it does in the queue.
            while (order.size() < 2 && task.getState() == Thread.State.RUNNABLE) {
                Thread.onSpinWait();
            }
        }
    }

    private Semaphore ends(String run) {
        return ends.computeIfAbsent(run, r -> new Semaphore(0));
    }

    private void awaitBegun(int count) {
        while (order.size() < count) {
            Thread.onSpinWait();
        }
    }

    /** Lets a task of a run end, and returns the run whose task begins in its place. */
    private String next(String ending) {
        int begun = order.size();
        ends(ending).release();
        awaitBegun(begun + 1);
        return order.get(begun);
    }

    @Test
    void aRunThatComesLaterGetsItsShareSoonAndKeepsIt() throws InterruptedException {
        tasks("large", 50, 8);
        tasks("late", 50, 4);
        awaitBegun(2);
        assertEquals(List.of("large", "large"), List.copyOf(order));
        assertEquals("late", next("large"), "which has none");
        assertEquals("late", next("late"), "now each has one");
        assertEquals("large", next("large"));
        assertEquals("late", next("late"));
        assertEquals("large", next("large"));
        assertEquals("late", next("late"));
        assertEquals("large", next("late"), "there is nobody else");
        for (int i = 0; i < 3; i++) {
            assertEquals("large", next("large"));
        }
        ends("large").release(2);
    }

    @Test
    void higherPriorityComesFirst() throws InterruptedException {
        tasks("nightly", 10, 4);
        tasks("urgent", 90, 3);
        tasks("usual", 50, 2);
        awaitBegun(2);
        assertEquals("urgent", next("nightly"));
        assertEquals("urgent", next("urgent"));
        assertEquals("urgent", next("nightly"), "even with all slots");
        assertEquals("usual", next("urgent"));
        assertEquals("usual", next("urgent"));
        assertEquals("nightly", next("usual"));
        assertEquals("nightly", next("usual"));
        ends("nightly").release(2);
    }

    @Test
    void nobodyWaitsForASlotThatIsNotNeededAnyMore() throws InterruptedException {
        assertTrue(space.takeSlot("a", 0, () -> false));
        assertTrue(space.takeSlot("b", 0, () -> false));
        long[] asked = new long[1];
        assertFalse(space.takeSlot("c", 0, () -> asked[0]++ > 2));
        space.giveSlot("a");
        assertTrue(space.takeSlot("c", 0, () -> false), "who has given up does not stand in the way");
        space.giveSlot("b");
        space.giveSlot("c");
    }
}
