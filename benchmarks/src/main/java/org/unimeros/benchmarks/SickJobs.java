package org.unimeros.benchmarks;

import java.io.PrintStream;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.OptionalLong;
import java.util.stream.Collectors;
import org.unimeros.Diagnosis;
import org.unimeros.Diagnosis.Finding;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.examples.sick.SickJob;

/** What the diagnosis says of sick jobs and of the same jobs cured, and whether the gain that it foretells comes true. */
final class SickJobs {

    private static final int ROUNDS = 5;

    private final Path data;
    private final Path records;
    private final int rows;
    private final PrintStream out;

    SickJobs(Path folder, int rows, PrintStream out) {
        this.rows = rows;
        this.out = out;
        this.data = folder.resolve("sick-" + rows);
        this.records = folder.resolve("sick-runs");
    }

    void run() {
        Settings settings = Settings.defaults().with("slots", "2").with("runs.folder", records.toString());
        out.println("| job | named first | foretold, ms | shown, ms | sick, cured, ms | said of the cured one |");
        out.println("|---|---|---|---|---|---|");
        try (Engine engine = Engine.open(settings)) {
            SickJob.prepare(engine, data, rows);
        }
        for (SickJob job : SickJob.values()) {
            Run cured = middle(settings, job, true);
            Run sick = middle(settings, job, false);
            Diagnosis of = sick.diagnosis().orElseThrow();
            String first =
                    of.findings().isEmpty() ? "nothing" : of.findings().get(0).kind();
            OptionalLong gain = of.findings().isEmpty()
                    ? OptionalLong.empty()
                    : of.findings().get(0).gainMillis();
            out.printf(
                    "| %s | %s%s | %s | %d | %d, %d | %s |%n",
                    job.label(),
                    first,
                    first.equals(job.finding()) ? "" : ", not " + job.finding(),
                    gain.isPresent() ? Long.toString(gain.getAsLong()) : "",
                    sick.millis() - cured.millis(),
                    sick.millis(),
                    cured.millis(),
                    kinds(cured.diagnosis().orElseThrow().findings()));
        }
    }

    private static String kinds(List<Finding> findings) {
        return findings.isEmpty()
                ? "nothing"
                : findings.stream().map(Finding::kind).collect(Collectors.joining(", "));
    }

    /** The run that took neither longest nor shortest, of several after one that does not count. */
    private Run middle(Settings settings, SickJob job, boolean isCured) {
        Run[] runs = new Run[ROUNDS];
        try (Engine engine = Engine.open(job.settings(settings, isCured))) {
            job.run(engine, data, isCured);
            for (int i = 0; i < ROUNDS; i++) {
                runs[i] = job.run(engine, data, isCured).run();
            }
        }
        Arrays.sort(runs, (a, b) -> Long.compare(a.millis(), b.millis()));
        return runs[ROUNDS / 2];
    }
}
