package org.unimeros.insight.diagnosis;

import java.nio.file.Path;
import java.util.Optional;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecord;

/**
 * A run in a list of runs.
 *
 * @param started milliseconds since 1970
 * @param millis how long it took, or has taken so far
 * @param tasks that have a result
 * @param worst the finding that weighs most
 * @param isGone whether it has not ended, and nobody writes its record any more
 */
public record RunSummary(
        RunProgress run, long started, long millis, long tasks, Optional<Finding> worst, boolean isGone) {

    /**
     * By its record.
     *
     * @throws org.unimeros.engine.error.UserMistake when there is none
     * @throws org.unimeros.engine.error.BadData when it is none
     */
    public static RunSummary of(Path record) {
        RunHistory history = new RunHistory();
        RunRecord.replay(record, history);
        if (RunFolder.isWritten(record)) {
            history.goesOnUntil(System.currentTimeMillis());
        }
        return new RunSummary(
                history.progress(),
                history.start(),
                history.millis(),
                history.tasksDone(),
                Diagnosis.of(history).findings().stream().findFirst(),
                !history.progress().isEnded() && !RunFolder.isWritten(record));
    }

    /** {@code done}, {@code failed}, {@code cancelled}, {@code running}, or {@code gone}. */
    public String state() {
        return run.isEnded() ? run.state() : isGone ? "gone" : "running";
    }
}
