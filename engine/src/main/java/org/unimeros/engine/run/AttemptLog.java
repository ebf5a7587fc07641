package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.own.Counters;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.ReadContext;

/** What one attempt meets while it reads. Used by the attempt's thread. */
public final class AttemptLog implements ReadContext {

    private final RunSettings settings;
    private final AtomicLong seen;
    private final List<String> problems = new ArrayList<>();
    private final List<BadRecord> records = new ArrayList<>();
    private final Counters counters = new Counters();
    private final Set<String> warned = new LinkedHashSet<>();
    private TaskScope scope = TaskScope.NONE;

    /** @param seen the bad records that all attempts of this process have met, without those of attempts that failed */
    public AttemptLog(RunSettings settings, AtomicLong seen) {
        this.settings = settings;
        this.seen = seen;
    }

    @Override
    public void badRecord(BadRecord record, String advice) {
        String problem = record.told(advice);
        if (settings.badRecords() == BadRecordPolicy.FAIL) {
            throw new BadData(problem);
        }
        if (seen.incrementAndGet() > settings.badRecordLimit()) {
            throw BadRecordLog.tooMany(settings, problem);
        }
        problems.add(problem);
        if (settings.badRecords() == BadRecordPolicy.DIVERT) {
            records.add(record);
        }
    }

    @Override
    public boolean leavesOutBadRecords() {
        return settings.badRecords() != BadRecordPolicy.FAIL;
    }

    @Override
    public boolean keepsBadRecords() {
        return settings.badRecords() == BadRecordPolicy.DIVERT;
    }

    /** Says what code of the job is told, before anything is read. */
    void enter(TaskScope newScope) {
        scope = newScope;
    }

    @Override
    public TaskScope scope() {
        return scope;
    }

    @Override
    public void warn(String message) {
        warned.add(message);
    }

    /** What the code of the job counts. */
    Counters counters() {
        return counters;
    }

    /** What is reported of an attempt that succeeded. */
    public AttemptNotes noted() {
        return new AttemptNotes(problems, records, List.copyOf(warned), counters.sums());
    }

    /** Forgets what a failed attempt met. */
    public void reject() {
        seen.addAndGet(-problems.size());
    }
}
