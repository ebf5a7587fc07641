package org.unimeros.benchmarks;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;

/** Work shared out to a number of threads, for the programs written by hand. */
final class Threads {

    private Threads() {}

    /** What one thread does and gives. */
    @FunctionalInterface
    interface Work<T> {
        T of(int thread) throws Exception;
    }

    /** The first row of a thread's even share. */
    static int from(int rows, int thread, int threads) {
        return (int) ((long) rows * thread / threads);
    }

    /** Lets every thread do its work, waits for all, and gives their results in the order of the threads. */
    static <T> List<T> each(int threads, Work<T> work) throws Exception {
        ExecutorService pool = Executors.newFixedThreadPool(threads);
        try {
            List<Future<T>> parts = new ArrayList<>();
            for (int t = 0; t < threads; t++) {
                int thread = t;
                parts.add(pool.submit(() -> work.of(thread)));
            }
            List<T> results = new ArrayList<>();
            for (Future<T> part : parts) {
                results.add(part.get());
            }
            return results;
        } finally {
            pool.shutdown();
        }
    }
}
