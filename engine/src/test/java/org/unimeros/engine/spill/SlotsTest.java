package org.unimeros.engine.spill;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
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
    /** A permit lets one task end. */
    private final Semaphore ends = new Semaphore(0);

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
                    ends.acquire();
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

    private List<String> endOneByOne(int count) throws InterruptedException {
        while (order.size() < 2) {
            Thread.onSpinWait();
        }
        for (int begun = 2; begun < count; begun++) {
            ends.release();
            while (order.size() <= begun) {
                Thread.onSpinWait();
            }
        }
        ends.release(2);
        return List.copyOf(order);
    }

    @Test
    void aRunThatComesLaterGetsItsShareSoon() throws InterruptedException {
        tasks("large", 50, 8);
        tasks("late", 50, 4);
        List<String> begun = endOneByOne(12);
        assertEquals(List.of("large", "large"), begun.subList(0, 2));
        // A large one has ended, so that the late one has fewer; from then on each has one.
        assertEquals("late", begun.get(2));
        assertEquals(4, Collections.frequency(begun.subList(2, 10), "late"), begun.toString());
    }

    @Test
    void higherPriorityComesFirst() throws InterruptedException {
        tasks("nightly", 10, 5);
        tasks("urgent", 90, 3);
        tasks("usual", 50, 2);
        assertEquals(
                List.of(
                        "nightly", "nightly", "urgent", "urgent", "urgent", "usual", "usual", "nightly", "nightly",
                        "nightly"),
                endOneByOne(10));
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
