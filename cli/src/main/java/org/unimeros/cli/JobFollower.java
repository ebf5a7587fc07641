package org.unimeros.cli;

import org.unimeros.Job;

/** Writes what the main program of a job writes, and what becomes of the job, and turns its end into an exit code. */
final class JobFollower implements Job.Lines {

    private static final String COMPLAINT = "unimeros: ";

    private final Console console;
    private final String id;
    private String lastError = "";

    /** @param id of the job; null when its state tells */
    JobFollower(Console console, String id) {
        this.console = console;
        this.id = id;
    }

    @Override
    public void line(String text, boolean error) {
        if (error) {
            lastError = text.startsWith(COMPLAINT) ? text.substring(COMPLAINT.length()) : lastError;
            console.note(text);
        } else {
            console.out().println(text);
            console.out().flush();
        }
    }

    @Override
    public void state(String state, String why) {
        if (!console.terminal().errIsTerminal()) {
            return;
        }
        String job = id == null ? "the job" : "job " + id;
        switch (state) {
            case "queued" -> console.note(job + " waits" + (why == null ? "" : ": " + why));
            case "running" -> console.note(job + " runs " + why);
            case "done" -> console.note(job + " is done");
            default -> {
                // said with the exit code
            }
        }
    }

    /** Follows a job to its end, unless this command is interrupted; the job goes on then. */
    static int follow(Job job, Console console) {
        Thread hook = new Thread(
                () -> console.note("job " + job.id() + " goes on; see: unimeros logs --follow " + job.id()
                        + ", unimeros cancel " + job.id()),
                "unimeros-interrupt");
        Runtime.getRuntime().addShutdownHook(hook);
        JobFollower follower = new JobFollower(console, job.id());
        Job.End end = job.follow(follower);
        Runtime.getRuntime().removeShutdownHook(hook);
        return follower.exitCode(end);
    }

    int exitCode(Job.End end) {
        return switch (end.state()) {
            case "done" -> ExitCode.DONE;
            case "cancelled" -> {
                console.error("the job was cancelled: " + end.message());
                yield ExitCode.CANCELLED;
            }
            default -> {
                // What the program said of it stands above.
                console.error("the job failed: " + end.message().replace(": " + lastError, ""));
                yield end.exitCode().isPresent() && end.exitCode().getAsInt() > 0
                        ? end.exitCode().getAsInt()
                        : ExitCode.RESOURCE;
            }
        };
    }
}
