package org.unimeros;

import java.util.Locale;
import java.util.OptionalInt;
import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPiece;
import org.unimeros.engine.error.ResourceFailure;

/** A job of a coordinator. Thread-safe. */
public final class Job {

    private static final long WAIT_MILLIS = 5_000;
    private static final long PATIENCE_MILLIS = 60_000;
    private static final long RETRY_MILLIS = 500;

    private final CoordinatorClient coordinator;
    private final String id;

    /** Takes the lines that the main program writes, in their order. */
    public interface Lines {
        /** @param error whether it was written to the standard error output */
        void line(String text, boolean error);

        /** Is told where the job stands, whenever that has changed. */
        default void state(String state, String why) {}
    }

    /**
     * How a job ended.
     *
     * @param state {@code done}, {@code failed} or {@code cancelled}
     * @param exitCode of its main program; empty when it had none
     * @param message why it failed or was cancelled; null when it is done
     */
    public record End(String state, OptionalInt exitCode, String message) {}

    Job(CoordinatorClient coordinator, String id) {
        this.coordinator = coordinator;
        this.id = id;
    }

    public String id() {
        return id;
    }

    /** Asks it to stop, with all its runs. */
    public void cancel() {
        coordinator.cancelJob(id);
    }

    /**
     * Waits for its end, and hands out its log from the beginning.
     *
     * @throws ResourceFailure when the coordinator does not answer for a minute
     */
    public End follow(Lines lines) {
        long next = 0;
        String told = "";
        long awaySince = 0;
        while (true) {
            LogPiece piece;
            try {
                piece = coordinator.log(id, next, told.isEmpty() ? 0 : WAIT_MILLIS);
                awaySince = 0;
            } catch (ResourceFailure e) {
                awaySince = awaySince == 0 ? System.nanoTime() : awaySince;
                if ((System.nanoTime() - awaySince) / 1_000_000 > PATIENCE_MILLIS) {
                    throw e;
                }
                pause();
                continue;
            }
            JobView view = piece.job();
            String now = view.state() + " " + view.place() + " " + view.message();
            boolean isNews = !now.equals(told) && (!view.state().isEnded() || piece.next() == next);
            if (isNews) {
                lines.state(name(view.state()), why(view));
                told = now;
            }
            for (LogLine line : piece.lines()) {
                lines.line(line.text(), line.error());
            }
            if (view.state().isEnded() && piece.next() == next) {
                return end(view);
            }
            next = piece.next();
        }
    }

    static End end(JobView view) {
        OptionalInt code = view.exitCode() == null ? OptionalInt.empty() : OptionalInt.of(view.exitCode());
        return new End(name(view.state()), code, view.message());
    }

    private static String name(JobState state) {
        return state.name().toLowerCase(Locale.ROOT);
    }

    private static String why(JobView view) {
        return view.state() == JobState.RUNNING ? "on " + view.place() : view.message();
    }

    private static void pause() {
        try {
            Thread.sleep(RETRY_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new ResourceFailure("interrupted while a job was followed", e);
        }
    }
}
