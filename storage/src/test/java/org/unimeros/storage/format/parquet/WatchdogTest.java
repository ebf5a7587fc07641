package org.unimeros.storage.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.time.Duration;
import java.util.concurrent.CountDownLatch;
import org.junit.jupiter.api.Test;

class WatchdogTest {

    @Test
    void aCallThatNeverAnswersIsInterrupted() {
        Watchdog watchdog = new Watchdog(Duration.ofMillis(20));
        CountDownLatch never = new CountDownLatch(1);
        IllegalStateException e = assertThrows(
                IllegalStateException.class,
                () -> watchdog.call(() -> {
                    never.await();
                    return null;
                }));
        assertTrue(e.getMessage().contains("a page may be damaged"), e.getMessage());
        assertFalse(Thread.currentThread().isInterrupted(), "the interrupt was left behind");
    }

    @Test
    void otherCallsAnswerOrFailAsTheyDo() throws Exception {
        Watchdog watchdog = new Watchdog(Duration.ofMinutes(1));
        for (int i = 0; i < 1000; i++) {
            int value = i;
            assertEquals(i, watchdog.call(() -> value));
        }
        assertThrows(
                IOException.class,
                () -> watchdog.call(() -> {
                    throw new IOException("as it is");
                }));
    }
}
