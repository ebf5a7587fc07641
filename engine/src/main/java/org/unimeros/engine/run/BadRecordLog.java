package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.source.ReadContext;

/**
 * Counts bad records and warnings of a run. What an attempt meets counts only when it succeeds, so that another attempt
 * does not count it again.
 */
final class BadRecordLog {

    private static final int EXAMPLES = 5;

    private final RunSettings settings;
    private final AtomicLong seen = new AtomicLong();
    private final Set<String> warnings = new LinkedHashSet<>();
    private final List<String> examples = new ArrayList<>();
    private final BadRecordKeeper keeper;
    private long counted;

    BadRecordLog(RunSettings settings, BadRecordKeeper keeper) {
        this.settings = settings;
        this.keeper = keeper;
    }

    /** What one attempt meets. Used by the attempt's thread. */
    final class AttemptLog implements ReadContext {
        private final List<BadData> problems = new ArrayList<>();
        private final List<byte[]> records = new ArrayList<>();
        private final Set<String> warned = new LinkedHashSet<>();

        @Override
        public void badRecord(BadData problem, byte[] raw) {
            if (settings.badRecords() == BadRecordPolicy.FAIL) {
                throw problem;
            }
            if (seen.incrementAndGet() > settings.badRecordLimit()) {
                throw new BadData("more than " + settings.badRecordLimit()
                        + " bad records (setting bad-records.limit), the last: " + problem.getMessage());
            }
            problems.add(problem);
            if (settings.badRecords() == BadRecordPolicy.DIVERT) {
                records.add(raw);
            }
        }

        @Override
        public boolean keepsBadRecords() {
            return settings.badRecords() == BadRecordPolicy.DIVERT;
        }

        @Override
        public void warn(String message) {
            warned.add(message);
        }
    }

    AttemptLog attempt() {
        return new AttemptLog();
    }

    /** Takes over what a successful attempt met; returns warnings that are new. */
    List<String> accept(AttemptLog log) {
        counted += log.problems.size();
        for (BadData problem : log.problems) {
            if (examples.size() < EXAMPLES) {
                examples.add(problem.getMessage());
            }
        }
        if (!log.records.isEmpty()) {
            keeper.keep(log.records);
        }
        return log.warned.stream().filter(warnings::add).toList();
    }

    /** Forgets what a failed attempt met. */
    void reject(AttemptLog log) {
        seen.addAndGet(-log.problems.size());
    }

    long counted() {
        return counted;
    }

    List<String> examples() {
        return List.copyOf(examples);
    }

    String place() {
        return settings.badRecords() == BadRecordPolicy.DIVERT ? keeper.place() : null;
    }
}
