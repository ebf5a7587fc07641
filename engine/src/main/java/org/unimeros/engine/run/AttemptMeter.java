package org.unimeros.engine.run;

import java.lang.management.GarbageCollectorMXBean;
import java.lang.management.ManagementFactory;
import java.lang.management.ThreadMXBean;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.function.LongSupplier;

/** Measures what an attempt takes, from the moment when its process is told of it. Used by the thread of the attempt. */
final class AttemptMeter {

    private static final ThreadMXBean THREADS = ManagementFactory.getThreadMXBean();
    private static final boolean KNOWS_CPU = THREADS.isCurrentThreadCpuTimeSupported();

    /** Those that work beside the threads of the process stop none of them. */
    private static final List<GarbageCollectorMXBean> STOPPING = ManagementFactory.getGarbageCollectorMXBeans().stream()
            .filter(bean -> !bean.getName().contains("Concurrent"))
            .toList();

    private final LongSupplier nanoClock;
    private final long told;
    private long began;
    private long cpuBefore;
    private long collectorBefore;
    private long sides;

    AttemptMeter(LongSupplier nanoClock) {
        this.nanoClock = nanoClock;
        this.told = nanoClock.getAsLong();
        this.began = told;
    }

    /** It has its slot. */
    void begins() {
        began = nanoClock.getAsLong();
        cpuBefore = cpu();
        collectorBefore = collectorMillis();
    }

    /** It has the other sides of its joins. */
    void hasSides() {
        sides = nanoClock.getAsLong() - began;
    }

    AttemptUse use() {
        return new AttemptUse(
                began - told,
                nanoClock.getAsLong() - began,
                sides,
                cpu() - cpuBefore,
                TimeUnit.MILLISECONDS.toNanos(collectorMillis() - collectorBefore));
    }

    private static long cpu() {
        return KNOWS_CPU ? THREADS.getCurrentThreadCpuTime() : 0;
    }

    private static long collectorMillis() {
        long millis = 0;
        for (GarbageCollectorMXBean bean : STOPPING) {
            millis += Math.max(0, bean.getCollectionTime());
        }
        return millis;
    }
}
