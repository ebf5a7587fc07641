package org.unimeros.cluster.http;

import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;

/** What the bodies of all requests of a process together may take of its memory. Thread-safe. */
final class BodyBudget {

    private static final int UNIT = 1 << 16;

    private final long most;
    private final long patienceMillis;
    private final Semaphore units;

    /**
     * @param bytes for all bodies together
     * @param patienceMillis so long a request waits for others to be done
     */
    BodyBudget(long bytes, long patienceMillis) {
        this.most = Math.max(UNIT, bytes);
        this.patienceMillis = patienceMillis;
        this.units = new Semaphore((int) (most / UNIT), true);
    }

    /** The largest body that is ever taken. */
    long most() {
        return most;
    }

    /** What one request has taken. */
    final class Share {
        private int taken;

        /**
         * Makes room for so many bytes in all.
         *
         * @throws HttpProblem when there can be no room for so many, or there is none in time
         */
        void grow(long bytes) {
            if (bytes > most) {
                throw new HttpProblem(
                        413, "the body is larger than " + most + " bytes, which is what this process has memory for");
            }
            int more = (int) ((bytes + UNIT - 1) / UNIT) - taken;
            if (more <= 0) {
                return;
            }
            try {
                if (!units.tryAcquire(more, patienceMillis, TimeUnit.MILLISECONDS)) {
                    throw new HttpProblem(503, "too many large requests at a time; try again");
                }
                taken += more;
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                throw new HttpProblem(503, "this process ends");
            }
        }

        void release() {
            units.release(taken);
            taken = 0;
        }
    }

    Share share() {
        return new Share();
    }
}
