package org.unimeros.engine.join;

import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.contains;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.verifyNoInteractions;
import static org.mockito.Mockito.verifyNoMoreInteractions;

import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.stage.Step;

class PairGuardTest {

    private static final Schema SCANS = Schema.of(Field.of("scan_id", DataType.LONG));

    private static final Step.Probe ALL_PAIRS = new Step.Probe(
            1, true, false, JoinKind.INNER, List.of(), List.of(), SCANS, SCANS, Optional.empty(), "test");

    @SuppressWarnings("unchecked")
    private final Consumer<String> warn = mock(Consumer.class);

    @Test
    void allPairsBeyondTheLimitAreToldOfOnceAndBeforeTheyAreMade() {
        PairGuard guard = new PairGuard(1_000_000, false);
        guard.expectAll(7, ALL_PAIRS, 60_000, 1_200, warn);
        verify(warn).accept(contains("looks at every pair of 60,000 and 1,200 rows, 72,000,000 in all"));
        guard.watch(7, ALL_PAIRS, warn).add(50_000_000, () -> "every row", 1_200);
        verifyNoMoreInteractions(warn);
    }

    @Test
    void fewPairsAndSingleRowsAreNotToldOf() {
        PairGuard guard = new PairGuard(1_000_000, true);
        guard.expectAll(7, ALL_PAIRS, 1_000, 1_000, warn);
        guard.expectAll(7, ALL_PAIRS, 50_000_000, 1, warn);
        verifyNoInteractions(warn);
    }

    @Test
    void aRunThatMustNotGoOverTheLimitEndsBeforeTheJoin() {
        BadData e = assertThrows(
                BadData.class, () -> new PairGuard(1_000_000, true).expectAll(7, ALL_PAIRS, 60_000, 1_200, warn));
        assertTrue(e.getMessage().contains("no columns that must be equal"), e.getMessage());
        verifyNoInteractions(warn);
    }
}
