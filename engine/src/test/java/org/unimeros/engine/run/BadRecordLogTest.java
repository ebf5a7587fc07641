package org.unimeros.engine.run;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.mockito.ArgumentMatchers.anyList;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.source.BadRecord;

class BadRecordLogTest {

    private final BadRecordKeeper keeper = mock(BadRecordKeeper.class);

    private static BadRecord record(long line) {
        return new BadRecord("scans.csv", line, "found 2 fields", ("line " + line).getBytes(UTF_8));
    }

    private static AttemptLog attempt(RunSettings settings, long... lines) {
        AttemptLog log = new AttemptLog(settings, new AtomicLong());
        for (long line : lines) {
            log.badRecord(record(line), "; mend it");
        }
        return log;
    }

    @Test
    void whatAnAttemptDivertsIsKeptWhenTheAttemptCounts() {
        RunSettings settings = LocalRunnerTest.settings(1, BadRecordPolicy.DIVERT);
        when(keeper.place()).thenReturn("bad/run.jsonl");
        BadRecordLog log = new BadRecordLog(settings, keeper);
        AttemptLog lost = attempt(settings, 7);
        AttemptLog counts = attempt(settings, 7, 9);
        lost.reject();
        log.accept(counts.noted());
        verify(keeper).keep(counts.noted().records());
        assertEquals(2, log.counted());
        assertEquals("scans.csv:7: found 2 fields; mend it", log.examples().get(0));
        assertEquals("bad/run.jsonl", log.place());
    }

    @Test
    void whatIsOnlySkippedIsNotKept() {
        RunSettings settings = LocalRunnerTest.settings(1, BadRecordPolicy.SKIP);
        BadRecordLog log = new BadRecordLog(settings, keeper);
        log.accept(attempt(settings, 3).noted());
        verify(keeper, never()).keep(anyList());
        assertEquals(1, log.counted());
        assertNull(log.place());
    }

    @Test
    void aBadRecordEndsARunThatAllowsNone() {
        RunSettings settings = LocalRunnerTest.settings(1, BadRecordPolicy.FAIL);
        BadData e = assertThrows(BadData.class, () -> attempt(settings, 3));
        assertEquals("scans.csv:3: found 2 fields; mend it", e.getMessage());
    }
}
