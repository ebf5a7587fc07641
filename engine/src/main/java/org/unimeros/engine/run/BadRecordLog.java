package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;

/** Counts the bad records and warnings of the attempts that count, so that another attempt does not count them again. */
final class BadRecordLog {

    private static final int EXAMPLES = 5;

    private final RunSettings settings;
    private final Set<String> warnings = new LinkedHashSet<>();
    private final List<String> examples = new ArrayList<>();
    private final BadRecordKeeper keeper;
    private long counted;

    BadRecordLog(RunSettings settings, BadRecordKeeper keeper) {
        this.settings = settings;
        this.keeper = keeper;
    }

    /**
     * Takes over what a successful attempt met; returns warnings that are new.
     *
     * @throws BadData when there are more bad records now than the settings allow
     */
    List<String> accept(AttemptNotes noted) {
        counted += noted.problems().size();
        for (String problem : noted.problems()) {
            if (examples.size() < EXAMPLES) {
                examples.add(problem);
            }
        }
        if (!noted.records().isEmpty()) {
            keeper.keep(noted.records());
        }
        if (!noted.problems().isEmpty() && counted > settings.badRecordLimit()) {
            throw tooMany(settings, noted.problems().get(noted.problems().size() - 1));
        }
        return noted.warnings().stream().filter(warnings::add).toList();
    }

    static BadData tooMany(RunSettings settings, String last) {
        return new BadData("more than " + settings.badRecordLimit()
                + " bad records (setting bad-records.limit), the last: " + last);
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
