package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPart;
import org.unimeros.cluster.wire.JobMessages.LogPiece;
import org.unimeros.cluster.wire.Json;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * A job, what its launcher says of it, and its folder, where both survive this process. It is QUEUED, then RUNNING, and ends once, as
 * DONE, FAILED or CANCELLED. Thread-safe.
 */
final class JobEntry {

    private static final Logger LOG = LoggerFactory.getLogger(JobEntry.class);
    private static final String STATE_FILE = "job.json";
    /** What the lines begin with in which programs of this product say what is wrong. */
    private static final String COMPLAINT = "unimeros: ";

    private final JobRequest request;
    private final Path folder;
    private final InstantSource clock;
    private final JobLog log;
    private final long submittedAt;
    private final List<String> runs = new ArrayList<>();
    private JobState state = JobState.QUEUED;
    private String place;
    /** Of the worker that launched it, so that it is known after a restart. */
    private Offer worker;

    private Integer exitCode;
    private String message;
    /** The last line in which the program said what is wrong; null when it did not. */
    private String complaint;

    private long startedAt;
    private long endedAt;
    private volatile long seenAt;

    private record Kept(
            JobRequest request,
            JobState state,
            String place,
            Offer worker,
            List<String> runs,
            Integer exitCode,
            String message,
            long submittedAt,
            long startedAt,
            long endedAt) {}

    /** A new job. */
    JobEntry(JobRequest request, Path folder, InstantSource clock) {
        this.request = request;
        this.folder = folder;
        this.clock = clock;
        this.submittedAt = clock.millis();
        this.seenAt = submittedAt;
        try {
            OwnerOnly.createFolders(folder);
        } catch (IOException e) {
            throw new ResourceFailure("cannot keep a job in " + folder + ": " + e.getMessage(), e);
        }
        this.log = new JobLog(folder.resolve("log.jsonl"));
        keep();
    }

    private JobEntry(Kept kept, Path folder, InstantSource clock) {
        this.request = kept.request;
        this.folder = folder;
        this.clock = clock;
        this.submittedAt = kept.submittedAt;
        this.state = kept.state;
        this.place = kept.place;
        this.worker = kept.worker;
        this.runs.addAll(kept.runs);
        this.exitCode = kept.exitCode;
        this.message = kept.message;
        this.startedAt = kept.startedAt;
        this.endedAt = kept.endedAt;
        this.seenAt = clock.millis();
        this.log = new JobLog(folder.resolve("log.jsonl"));
    }

    /** The job of a folder; none where it cannot be understood. */
    static Optional<JobEntry> restore(Path folder, InstantSource clock) {
        try {
            Kept kept = Json.read(Files.readAllBytes(folder.resolve(STATE_FILE)), Kept.class);
            return Optional.of(new JobEntry(kept, folder, clock));
        } catch (IOException | ResourceFailure e) {
            LOG.warn("{} has no job that can be understood", folder, e);
            return Optional.empty();
        }
    }

    private void keep() {
        Path file = folder.resolve(STATE_FILE);
        Path fresh = folder.resolve(STATE_FILE + ".new");
        try {
            Files.write(
                    fresh,
                    Json.write(new Kept(
                            request,
                            state,
                            place,
                            worker,
                            List.copyOf(runs),
                            exitCode,
                            message,
                            submittedAt,
                            startedAt,
                            endedAt)));
            Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
        } catch (IOException e) {
            throw new ResourceFailure("cannot keep a job in " + folder + ": " + e.getMessage(), e);
        }
    }

    String id() {
        return request.id();
    }

    JobRequest request() {
        return request;
    }

    Path folder() {
        return folder;
    }

    long submittedAt() {
        return submittedAt;
    }

    long seenAt() {
        return seenAt;
    }

    synchronized JobState state() {
        return state;
    }

    synchronized String place() {
        return place;
    }

    synchronized Offer worker() {
        return worker;
    }

    synchronized long endedAt() {
        return endedAt;
    }

    synchronized List<String> runs() {
        return List.copyOf(runs);
    }

    /** Says why it waits. */
    synchronized void waitsFor(String what) {
        if (state == JobState.QUEUED && !what.equals(message)) {
            message = what;
            notifyAll();
        }
    }

    /**
     * Its main program is launched; false when it does not wait for that any more.
     *
     * @param by the worker that launches it; null for whoever submitted it
     */
    synchronized boolean start(String where, Offer by) {
        if (state != JobState.QUEUED) {
            return false;
        }
        state = JobState.RUNNING;
        place = where;
        worker = by;
        message = null;
        startedAt = clock.millis();
        seenAt = startedAt;
        keep();
        notifyAll();
        return true;
    }

    /** It is over; false when it was already. */
    synchronized boolean end(JobState how, Integer code, String why) {
        if (state.isEnded()) {
            return false;
        }
        state = how;
        exitCode = code;
        message = why;
        endedAt = clock.millis();
        keep();
        notifyAll();
        return true;
    }

    /** A run that it asked for; false when it is over, and asks for none. */
    synchronized boolean asks(String run) {
        if (state.isEnded()) {
            return false;
        }
        if (!runs.contains(run)) {
            runs.add(run);
            keep();
        }
        return true;
    }

    /** Takes what its launcher says; false when that launcher is not the one whose word counts. */
    synchronized boolean heard(LogPart part) {
        if (!isLaunchedBy(part.launcher())) {
            return false;
        }
        seenAt = clock.millis();
        if (!part.lines().isEmpty()) {
            log.append(part.from(), part.lines());
            part.lines().stream()
                    .filter(line -> line.error() && line.text().startsWith(COMPLAINT))
                    .forEach(line -> complaint = line.text().substring(COMPLAINT.length()));
            notifyAll();
        }
        return true;
    }

    /** What the program said last of why it fails, in a line. */
    synchronized Optional<String> complaint() {
        return Optional.ofNullable(complaint);
    }

    synchronized boolean isLaunchedBy(String launcher) {
        return state == JobState.RUNNING && place.equals(launcher);
    }

    /** Its log from a position on, waiting for more of it while there is none. */
    synchronized LogPiece log(long after, long waitMillis) throws InterruptedException {
        if (after >= log.bytes() && !state.isEnded() && waitMillis > 0) {
            wait(waitMillis);
        }
        List<LogLine> lines = new ArrayList<>();
        long next = log.read(after, lines);
        return new LogPiece(lines, next, view());
    }

    synchronized JobView view() {
        return new JobView(
                request.id(),
                request.name(),
                request.mainClass(),
                request.arguments(),
                state,
                place,
                List.copyOf(runs),
                exitCode,
                message,
                submittedAt,
                startedAt,
                endedAt);
    }
}
