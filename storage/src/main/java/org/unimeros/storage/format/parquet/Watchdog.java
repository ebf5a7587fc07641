package org.unimeros.storage.format.parquet;

import java.time.Duration;
import java.util.concurrent.Callable;
import java.util.concurrent.Future;
import java.util.concurrent.ScheduledThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;

/**
 * Puts a limit to calls that could wait for ever: the library that reads Parquet waits for its own threads, and one that
 * gave up on a damaged page never answers. When the limit is over the calling thread is interrupted.
 */
final class Watchdog {

    private final Duration limit;
    private final ScheduledThreadPoolExecutor timer;

    Watchdog(Duration limit) {
        this.limit = limit;
        this.timer = new ScheduledThreadPoolExecutor(1, task -> {
            Thread thread = new Thread(task, "unimeros-parquet-watchdog");
            thread.setDaemon(true);
            return thread;
        });
        timer.setRemoveOnCancelPolicy(true);
        timer.setKeepAliveTime(1, TimeUnit.SECONDS);
        timer.allowCoreThreadTimeOut(true);
    }

    /** Makes a call; fails when it takes longer than the limit. */
    <T> T call(Callable<T> work) throws Exception {
        Thread caller = Thread.currentThread();
        AtomicBoolean over = new AtomicBoolean();
        Future<?> alarm = timer.schedule(
                () -> {
                    over.set(true);
                    caller.interrupt();
                },
                limit.toMillis(),
                TimeUnit.MILLISECONDS);
        try {
            return work.call();
        } catch (Exception e) {
            if (over.get()) {
                throw new IllegalStateException("no answer in " + limit.toSeconds() + " s, a page may be damaged", e);
            }
            throw e;
        } finally {
            alarm.cancel(false);
            if (over.get()) {
                Thread.interrupted();
            }
        }
    }
}
