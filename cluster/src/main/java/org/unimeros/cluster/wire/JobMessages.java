package org.unimeros.cluster.wire;

import java.util.List;
import java.util.Map;
import org.unimeros.cluster.files.FileRef;

/** What processes tell each other of jobs: programs that are launched, and ask for runs. */
public final class JobMessages {

    private JobMessages() {}

    /**
     * A program to be launched.
     *
     * @param id null to be given one; a request that is repeated with the same one is the same job
     * @param name what people call it; null for the name of the main class
     * @param mainClass the class whose {@code main} is called
     * @param files its jars and attachments, which were sent before ({@code PUT /v1/files/HASH})
     * @param settings what its engines are told, by name
     * @param folder the folder it works in, where there is one of that path; else an empty one of its own
     * @param heapBytes the most memory of its process; 0 for 1 GB
     * @param onCluster whether a worker launches it, or whoever asks
     */
    public record JobRequest(
            String id,
            String name,
            String mainClass,
            List<String> arguments,
            List<FileRef> files,
            Map<String, String> settings,
            String folder,
            long heapBytes,
            boolean onCluster) {

        public JobRequest {
            arguments = arguments == null ? List.of() : List.copyOf(arguments);
            files = files == null ? List.of() : List.copyOf(files);
            settings = settings == null ? Map.of() : Map.copyOf(settings);
        }

        /** The same with an identity and a name. */
        public JobRequest named(String newId, String newName) {
            return new JobRequest(newId, newName, mainClass, arguments, files, settings, folder, heapBytes, onCluster);
        }
    }

    /** Where a job stands. */
    public enum JobState {
        /** It waits for a worker that has room for its main program. */
        QUEUED,
        RUNNING,
        DONE,
        FAILED,
        CANCELLED;

        /** Whether nothing more happens. */
        public boolean isEnded() {
            return this == DONE || this == FAILED || this == CANCELLED;
        }
    }

    /**
     * A job as it is shown.
     *
     * @param place the worker that its main program runs on, or {@code client}; null while it waits
     * @param runs the runs that it asked for, in their order
     * @param exitCode of its main program; null when there is none
     * @param message why it failed, waits or was cancelled
     */
    public record JobView(
            String id,
            String name,
            String mainClass,
            List<String> arguments,
            JobState state,
            String place,
            List<String> runs,
            Integer exitCode,
            String message,
            long submittedAt,
            long startedAt,
            long endedAt) {}

    /** A line that the main program of a job wrote. */
    public record LogLine(long at, boolean error, String text) {}

    /**
     * A part of the log of a job.
     *
     * @param next where what follows begins
     */
    public record LogPiece(List<LogLine> lines, long next, JobView job) {}

    /**
     * What a launcher hears from the main program; that it hears nothing is said as well.
     *
     * @param launcher the worker, or {@code client}
     * @param from the number of the first line, so that lines that are sent again count once
     */
    public record LogPart(String launcher, long from, List<LogLine> lines) {}

    /**
     * The main program is over.
     *
     * @param message why it could not be launched; null when it was
     */
    public record JobEnd(String launcher, int exitCode, String message) {}
}
