package org.unimeros.cli;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.concurrent.CountDownLatch;
import org.unimeros.cluster.coordinator.Coordinator;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "coordinator",
        description = {
            "Starts the process that decides what workers do, and runs until it is ended.",
            "Only this machine may connect, with a key that is kept in .unimeros/cluster-key of your home folder, where your"
                    + " other commands find it. With the same key in UNIMEROS_CLUSTER_KEY of all processes, it can listen"
                    + " on other addresses.",
            "With a certificate and its key in the files that UNIMEROS_TLS_CERTIFICATE and UNIMEROS_TLS_KEY name, all"
                    + " that is said is encrypted."
        },
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = {
            "  unimeros coordinator &",
            "  unimeros worker --coordinator http://127.0.0.1:7420 &",
            "  unimeros query --coordinator http://127.0.0.1:7420 \"select count(*) as scans from dataset('demo/scans')\""
        })
final class CoordinatorCommand extends ConsoleCommand {

    static final int PORT = 7420;

    @Option(
            names = "--host",
            paramLabel = "ADDRESS",
            description = "The address to listen on; this machine only, unless it is given.")
    String host;

    @Option(
            names = "--advertise",
            paramLabel = "NAME",
            description = "The name by which workers reach it, if not the address that it listens on.")
    String advertise;

    @Option(names = "--port", paramLabel = "N", description = "The port; " + PORT + " unless it is given, 0 for any.")
    int port = PORT;

    @Option(
            names = "--journal",
            paramLabel = "DIR",
            description = "Where it notes what happens, so that started again it goes on with the runs that it had;"
                    + " .unimeros/coordinator unless it is given.")
    Path journal = Path.of(".unimeros/coordinator");

    @Option(
            names = "--records",
            paramLabel = "DIR",
            description =
                    "Where it keeps records of its runs, which its pages show; runs in the folder of the journal unless it is given.")
    Path records;

    @Mixin
    KeyOptions access = new KeyOptions();

    @Override
    public Integer call() throws InterruptedException {
        Coordinator.Config config = new Coordinator.Config(host, port, access.of(console, host))
                .withAdvertised(advertise)
                .withJournal(journal)
                .withPages(new RecordedRuns(records == null ? journal.resolve("runs") : records, console::warning));
        try (Coordinator coordinator = new Coordinator(config, InstantSource.system())) {
            String url = coordinator.start();
            Runtime.getRuntime().addShutdownHook(new Thread(coordinator::close, "unimeros-interrupt"));
            console.out().println(url);
            console.out().flush();
            console.note("coordinator at " + url + "; workers join with: unimeros worker --coordinator " + url);
            access.tell(console, host);
            console.note("its pages are at " + url + "/; a browser gets in by: unimeros page --coordinator " + url);
            new CountDownLatch(1).await();
        }
        return ExitCode.DONE;
    }
}
