package org.unimeros.cluster;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.concurrent.CountDownLatch;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;

/** A coordinator in a process of its own, which tests can kill. */
public final class CoordinatorProcess {

    private CoordinatorProcess() {}

    /** Arguments are the port and the folder of the journal. */
    public static void main(String[] args) throws InterruptedException {
        Coordinator coordinator = new Coordinator(
                new Coordinator.Config(
                        null,
                        Integer.parseInt(args[0]),
                        ClusterAccess.from(System.getenv()),
                        TestCluster.PATIENCE_MILLIS,
                        30_000,
                        30_000,
                        Path.of(args[1])),
                InstantSource.system());
        System.out.println(coordinator.start());
        new CountDownLatch(1).await();
    }
}
