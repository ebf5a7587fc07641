package org.unimeros;

import java.nio.file.Path;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.http.ClusterAccess;

/** Where the jobs of an engine run, if not in its process: at a coordinator, or on workers that are started for it. Thread-safe. */
final class Cluster implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(Cluster.class);
    private static final long LEAST_HEAP = 256L << 20;

    private final Settings settings;
    private final String coordinator;
    private LocalWorkers started;

    private Cluster(Settings settings, String coordinator) {
        this.settings = settings;
        this.coordinator = coordinator;
    }

    static Optional<Cluster> of(Settings settings) {
        String coordinator = settings.get(Setting.COORDINATOR.name());
        boolean any = !coordinator.isEmpty() || settings.whole(Setting.WORKERS) > 0;
        return any ? Optional.of(new Cluster(settings, coordinator)) : Optional.empty();
    }

    /** Whether its workers can be on other machines, which do not have the classes of this program. */
    boolean isElsewhere() {
        return !coordinator.isEmpty();
    }

    synchronized String url() {
        return coordinator.isEmpty() ? workers().url() : coordinator;
    }

    synchronized ClusterAccess access() {
        return coordinator.isEmpty() ? workers().access() : ClusterAccess.to(coordinator, System.getenv());
    }

    private LocalWorkers workers() {
        if (started == null) {
            started = new LocalWorkers(options(settings, (int) settings.whole(Setting.WORKERS)));
            started.replaceLost(LOG::warn);
        }
        return started;
    }

    /** The workers that settings ask for; together they have as much memory as this process may have, unless that is said. */
    static LocalWorkers.Options options(Settings settings, int workers) {
        long given = settings.bytes(Setting.WORKER_MEMORY);
        long heap =
                given > 0 ? given : Math.max(LEAST_HEAP, Runtime.getRuntime().maxMemory() / workers);
        long budget = settings.bytes(Setting.MEMORY_BUDGET);
        return new LocalWorkers.Options(
                workers,
                settings.forRuns().slots(),
                heap,
                budget > 0 ? budget : heap / 2,
                Path.of(settings.get(Setting.MEMORY_SCRATCH.name()))
                        .toAbsolutePath()
                        .resolveSibling("workers"));
    }

    @Override
    public synchronized void close() {
        if (started != null) {
            started.close();
        }
    }
}
