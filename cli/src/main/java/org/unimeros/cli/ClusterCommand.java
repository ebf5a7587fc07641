package org.unimeros.cli;

import java.nio.file.Path;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.client.WorkerRange;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "cluster",
        description = "Starts a coordinator and workers on this machine, for several jobs, until it is ended.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = {
            "  unimeros cluster --workers 3 --slots 2 &",
            "  unimeros cluster --workers 1..8 &",
            "  unimeros query --coordinator http://127.0.0.1:7420 \"select count(*) as scans from dataset('demo/scans')\""
        })
final class ClusterCommand extends ConsoleCommand {

    private static final long LEAST_HEAP = 256L << 20;

    @Option(
            names = "--workers",
            paramLabel = "N|N..M",
            required = true,
            description = "How many workers; as 1..8, as many as there is work for.")
    String workers;

    @Option(
            names = "--idle-limit",
            paramLabel = "SECONDS",
            description = "Of workers that are more than needed, those leave that had nothing to do for so long; 30"
                    + " unless it is given.")
    int idleSeconds = 30;

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

    @Option(
            names = "--records",
            paramLabel = "DIR",
            description =
                    "Where it keeps records of its runs, which its pages show; .unimeros/coordinator/runs unless it is given.")
    Path records = Path.of(".unimeros/coordinator/runs");

    @Mixin
    KeyOptions access = new KeyOptions();

    private static String shown(WorkerRange range) {
        return range.isElastic()
                ? range.least() + " to " + Sizes.count(range.most(), "worker")
                : Sizes.count(range.most(), "worker");
    }

    @Override
    public Integer call() throws InterruptedException {
        WorkerRange range = WorkerRange.parse(workers);
        if (slots < 1) {
            throw new UserMistake("a worker needs at least one slot");
        }
        ClusterAccess key = access.of(console, null);
        long heap = Math.max(LEAST_HEAP, Runtime.getRuntime().maxMemory() / range.most());
        LocalWorkers.Options options = new LocalWorkers.Options(
                range,
                slots,
                heap,
                heap / 2,
                Path.of(".unimeros/workers").toAbsolutePath(),
                TimeUnit.SECONDS.toMillis(idleSeconds));
        Coordinator.Config config =
                new Coordinator.Config(null, port, key).withPages(new RecordedRuns(records, console::warning));
        try (LocalWorkers all = new LocalWorkers(options, config)) {
            Runtime.getRuntime().addShutdownHook(new Thread(all::close, "unimeros-interrupt"));
            console.out().println(all.url());
            console.out().flush();
            console.note("coordinator at " + all.url() + " with " + shown(range) + " of " + Sizes.count(slots, "slot")
                    + "; Ctrl-C ends all of them");
            access.tell(console, null);
            console.note("its pages are at " + all.url() + "/; a browser gets in by: unimeros page --coordinator "
                    + all.url());
            all.replaceLost(console::warning);
            new CountDownLatch(1).await();
        }
        return ExitCode.DONE;
    }
}
