package org.unimeros.engine.run;

import java.io.Serializable;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.unimeros.engine.source.BadRecord;

/**
 * What an attempt noted of what it read; it counts when the attempt does.
 *
 * @param problems of records that could not be read, a line each
 * @param records these records, where they are kept
 * @param warnings what the user should know
 * @param counters the sums of the job's counters, by group and name
 */
public record AttemptNotes(
        List<String> problems, List<BadRecord> records, List<String> warnings, Map<String, Map<String, Long>> counters)
        implements Serializable {

    public static final AttemptNotes NOTHING = new AttemptNotes(List.of(), List.of(), List.of(), Map.of());

    public AttemptNotes {
        problems = List.copyOf(problems);
        records = List.copyOf(records);
        warnings = List.copyOf(warnings);
        counters = new TreeMap<>(counters);
    }
}
