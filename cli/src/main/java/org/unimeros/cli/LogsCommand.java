package org.unimeros.cli;

import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPiece;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "logs",
        description = {
            "Prints what the main program of a job has written: its standard output to the standard output, its standard"
                    + " error output to that.",
            "With --follow, until the job is over; the exit code is then that of the job."
        },
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros logs --follow job-20310301-101500-3fa2")
final class LogsCommand extends ConsoleCommand {

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Parameters(paramLabel = "JOB", description = "The job, as `unimeros jobs` lists it.")
    String id;

    @Option(names = "--follow", description = "Goes on until the job is over.")
    boolean follow;

    @Override
    public Integer call() {
        CoordinatorClient client = options.client(console);
        JobCommand.find(client, id);
        if (follow) {
            return JobFollower.follow(options.jobs(console).find(id).orElseThrow(), console);
        }
        JobFollower lines = new JobFollower(console, id);
        long next = -1;
        for (LogPiece piece = client.log(id, 0, 0); piece.next() != next; piece = client.log(id, next, 0)) {
            for (LogLine line : piece.lines()) {
                lines.line(line.text(), line.error());
            }
            next = piece.next();
        }
        return ExitCode.DONE;
    }
}
