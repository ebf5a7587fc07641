package org.unimeros.cli;

import java.nio.file.Path;
import java.util.concurrent.CountDownLatch;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

@Command(
        name = "cluster",
        description = "Starts a coordinator and workers on this machine, for several jobs, until it is ended.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = {
            "  unimeros cluster --workers 3 --slots 2 &",
            "  unimeros query --coordinator http://127.0.0.1:7420 \"select count(*) as scans from 'demo/scans'\""
        })
final class ClusterCommand extends ConsoleCommand {

    private static final long LEAST_HEAP = 256L << 20;

    @Option(names = "--workers", paramLabel = "N", required = true, description = "How many workers.")
    int workers;

    @Option(
            names = "--slots",
            paramLabel = "N",
            description = "How many tasks each runs at the same time; 1 unless given.")
    int slots = 1;

    @Option(
            names = "--port",
            paramLabel = "N",
            description = "The port of the coordinator; " + CoordinatorCommand.PORT + " unless it is given, 0 for any.")
    int port = CoordinatorCommand.PORT;

    @Override
    public Integer call() throws InterruptedException {
        if (workers < 1 || slots < 1) {
            throw new UserMistake("a cluster needs at least one worker with one slot");
        }
        ClusterAccess key = ClusterAccess.from(console.environment());
        long heap = Math.max(LEAST_HEAP, Runtime.getRuntime().maxMemory() / workers);
        LocalWorkers.Options options = new LocalWorkers.Options(
                workers, slots, heap, heap / 2, Path.of(".unimeros/workers").toAbsolutePath());
        try (LocalWorkers all = new LocalWorkers(options, new Coordinator.Config(null, port, key))) {
            Runtime.getRuntime().addShutdownHook(new Thread(all::close, "unimeros-interrupt"));
            console.out().println(all.url());
            console.out().flush();
            console.note("coordinator at " + all.url() + " with " + Sizes.count(workers, "worker") + " of "
                    + Sizes.count(slots, "slot") + "; Ctrl-C ends all of them");
            new CountDownLatch(1).await();
        }
        return ExitCode.DONE;
    }
}
