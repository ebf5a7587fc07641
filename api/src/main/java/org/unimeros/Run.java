package org.unimeros;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.page.RunPage;

/**
 * A run that is done.
 *
 * @param id its name; no other run has it
 * @param rows rows that it made or wrote
 * @param bytes bytes written
 * @param files files written
 * @param skippedRecords bad records that were left out
 * @param skippedFiles files that were not read because no row of interest could be in them
 * @param skippedBytes bytes of these, and of parts of files left out
 * @param millis how long it took
 * @param counters what the job's own code has counted, by group and name
 * @param warnings what the user should know
 * @param record where its record is, if one is kept
 * @param badRecords where the bad records are, if there are some that were diverted: lines of JSON with file, line, reason and record
 */
public record Run(
        String id,
        long rows,
        long bytes,
        int files,
        long skippedRecords,
        long skippedFiles,
        long skippedBytes,
        long millis,
        Map<String, Map<String, Long>> counters,
        List<String> warnings,
        Optional<Path> record,
        Optional<Path> badRecords) {

    public Run {
        warnings = List.copyOf(warnings);
    }

    /** What it did, in a line or two. */
    public String summary() {
        StringBuilder out = new StringBuilder();
        out.append(Sizes.count(rows, "row"));
        if (files > 0) {
            out.append(" in ").append(Sizes.count(files, "file")).append(" of ").append(Sizes.bytes(bytes));
        }
        out.append(", ").append(Sizes.millis(millis));
        if (skippedFiles > 0 || skippedBytes > 0) {
            out.append("; not read: ")
                    .append(Sizes.count(skippedFiles, "file"))
                    .append(", ")
                    .append(Sizes.bytes(skippedBytes));
        }
        if (skippedRecords > 0) {
            out.append("; ").append(badRecordsLeftOut());
        }
        counters.forEach((group, names) -> names.forEach((name, sum) -> out.append("; ")
                .append(group)
                .append(' ')
                .append(name)
                .append(' ')
                .append(Sizes.count(sum))));
        record.ifPresent(path -> out.append("; record: ").append(path));
        return out.toString();
    }

    /** How many bad records were left out, and where they are. */
    public String badRecordsLeftOut() {
        return Sizes.count(skippedRecords, "bad record")
                + badRecords.map(place -> " left out and kept in " + place).orElse(" left out");
    }

    /** Its name and what it did. */
    @Override
    public String toString() {
        return "run " + id + ": " + summary();
    }

    /** The sum of a counter; 0 of one that nothing was added to. */
    public long counter(String group, String name) {
        return counters.getOrDefault(group, Map.of()).getOrDefault(name, 0L);
    }

    /** What is wrong with it, and what a change would bring. Empty when no record was kept. */
    public Optional<Diagnosis> diagnosis() {
        return record.map(Diagnosis::of);
    }

    /**
     * Writes a page of it, one HTML file that needs no network; what is there is replaced.
     *
     * @throws UserMistake when no record was kept
     * @throws ResourceFailure when it cannot be written
     */
    public void writePage(Path file) {
        Path of = record.orElseThrow(() -> new UserMistake("run " + id + " has no record, since runs.folder is empty"));
        RunPage.of(of, Settings.defaults().asMap()).write(file);
    }

    /** The plan with what really happened. Empty when no record was kept. */
    public String explain() {
        return record.map(path -> RunRecord.read(path).print()).orElse("");
    }
}
