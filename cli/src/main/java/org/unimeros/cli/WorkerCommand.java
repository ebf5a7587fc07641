package org.unimeros.cli;

import java.nio.file.Path;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.TaskPrints;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

@Command(
        name = "worker",
        description = {
            "Starts a worker, which runs tasks for a coordinator until it is ended.",
            "Asked to end (Ctrl-C, SIGTERM), it takes nothing new, and leaves when nobody needs what it made, or after"
                    + " a while."
        },
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros worker --coordinator http://127.0.0.1:7420 --slots 2")
final class WorkerCommand extends ConsoleCommand {

    private static final int MILLIS = 1000;

    @Option(
            names = "--coordinator",
            paramLabel = "URL",
            required = true,
            description = "The address of the coordinator.")
    String coordinator;

    @Option(
            names = "--host",
            paramLabel = "ADDRESS",
            description = "The address to listen on; this machine only, unless it is given.")
    String host;

    @Option(
            names = "--advertise",
            paramLabel = "NAME",
            description = "The name by which other workers reach it, if not the address that it listens on.")
    String advertise;

    @Option(names = "--port", paramLabel = "N", description = "The port; any that is free, unless it is given.")
    int port;

    @Option(
            names = "--slots",
            paramLabel = "N",
            description = "How many tasks run at the same time; one per processor.")
    int slots = Runtime.getRuntime().availableProcessors();

    @Option(
            names = "--programs",
            paramLabel = "N",
            description = "How many main programs of jobs run here at the same time, beside the slots; 2 unless it is"
                    + " given.")
    int programs = 2;

    @Option(
            names = "--scratch",
            paramLabel = "DIR",
            description = "Where rows are kept that do not fit into memory; .unimeros/scratch unless it is given.")
    Path scratch = Path.of(".unimeros/scratch");

    @Option(
            names = "--drain",
            paramLabel = "SECONDS",
            description = "How long it waits, asked to end, for runs that need what it made; 30 unless it is given.")
    int drainSeconds = 30;

    @Option(
            names = "--idle-limit",
            paramLabel = "SECONDS",
            description = "It leaves when it had nothing to do for so long; never, unless it is given.")
    int idleSeconds;

    @Override
    public Integer call() throws InterruptedException {
        long memory = Runtime.getRuntime().maxMemory() / 2;
        Worker.Config config = new Worker.Config(
                coordinator,
                host,
                advertise,
                port,
                slots,
                programs,
                memory,
                scratch,
                ClusterAccess.to(coordinator, console.environment()));
        TaskPrints.install();
        try (Worker worker = new Worker(config)) {
            worker.start();
            Runtime.getRuntime()
                    .addShutdownHook(
                            new Thread(() -> worker.drain((long) drainSeconds * MILLIS), "unimeros-interrupt"));
            if (idleSeconds > 0) {
                worker.leaveWhenIdle((long) idleSeconds * MILLIS, (long) drainSeconds * MILLIS);
            }
            console.out().println(worker.url());
            console.out().flush();
            console.note("worker " + worker.name() + " at " + worker.url() + ", " + Sizes.count(slots, "slot") + ", "
                    + Sizes.bytes(memory) + " for tasks, coordinator " + coordinator);
            worker.await();
        }
        return ExitCode.DONE;
    }
}
