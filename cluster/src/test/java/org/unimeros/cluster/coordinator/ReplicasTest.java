package org.unimeros.cluster.coordinator;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.schedule.AttemptId;

/** Who has what, and who is to have copies. */
class ReplicasTest {

    private static final int LAST = 2;
    private static final AttemptId EARLY = new AttemptId(1, 0, 0);
    private static final AttemptId FIRST = new AttemptId(LAST, 0, 0);
    private static final AttemptId SECOND = new AttemptId(LAST, 1, 3);
    private static final List<AttemptId> KEPT = List.of(EARLY, FIRST, SECOND);

    private static Replicas onWorkerOne(boolean held) {
        Replicas replicas = new Replicas(held);
        KEPT.forEach(attempt -> replicas.made(attempt, "w1"));
        return replicas;
    }

    @Test
    void nothingIsCopiedUnlessSomebodyWantsIt() {
        Replicas replicas = onWorkerOne(true);
        assertFalse(replicas.areAnyWanted());
        assertEquals(Map.of(), replicas.missing(KEPT, LAST, List.of("w1", "w2"), 0));
    }

    @Test
    void whatIsHeldIsCopiedUntilThereIsEnough() {
        Replicas replicas = onWorkerOne(true);
        replicas.want(2);
        assertTrue(replicas.areAnyWanted());
        // Only the last stage is held; the copies are spread.
        assertEquals(Map.of(FIRST, "w2", SECOND, "w3"), replicas.missing(KEPT, LAST, List.of("w1", "w2", "w3"), 0));
        assertEquals(Map.of(), replicas.missing(KEPT, LAST, List.of("w1", "w2", "w3"), 1_000));
        assertTrue(replicas.copied(FIRST, "w2"));
        assertEquals(List.of("w1", "w2"), replicas.places(FIRST));
        // One that does not come is asked of another one.
        assertEquals(Map.of(SECOND, "w2"), replicas.missing(KEPT, LAST, List.of("w1", "w2", "w3"), 60_000));
    }

    @Test
    void aCopyCountsWhenTheWorkerIsLostThatMadeIt() {
        Replicas replicas = onWorkerOne(true);
        replicas.want(2);
        replicas.copied(FIRST, "w2");
        assertEquals(Map.of(FIRST, "w2"), replicas.lost("w1"));
        assertEquals(List.of("w2"), replicas.places(FIRST));
        assertEquals(List.of(), replicas.places(SECOND));
        assertEquals(Map.of(), replicas.lost("w3"));
    }

    @Test
    void whoLeavesHandsOverWhatAllStagesMade() {
        Replicas replicas = onWorkerOne(false);
        replicas.leaving("w1");
        assertEquals(KEPT.size(), replicas.missing(KEPT, LAST, List.of("w2"), 0).size());
        assertEquals(List.of(), replicas.handedOver(EARLY));
        assertTrue(replicas.copied(EARLY, "w2"));
        assertEquals("w2", replicas.places(EARLY).get(0));
        assertEquals(List.of("w1"), replicas.handedOver(EARLY));
        assertEquals(List.of("w2"), replicas.places(EARLY));
        assertEquals(Map.of(), replicas.lost("w1"));
    }

    @Test
    void whatWasReleasedNeedsNoCopy() {
        Replicas replicas = onWorkerOne(false);
        replicas.leaving("w1");
        replicas.release(1);
        assertFalse(replicas.copied(EARLY, "w2"));
        assertEquals(List.of(), replicas.places(EARLY));
        assertEquals(
                List.of(FIRST, SECOND),
                List.copyOf(replicas.missing(KEPT, LAST, List.of("w2"), 0).keySet()));
    }
}
