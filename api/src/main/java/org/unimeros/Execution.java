package org.unimeros;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.InstantSource;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Consumer;
import java.util.function.Function;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.client.RemoteRunner;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.worker.TaskPrints;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.Callers;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.run.HeldRun;
import org.unimeros.engine.run.LocalRunner;
import org.unimeros.engine.run.PartitionSample;
import org.unimeros.engine.run.ProcessHeld;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.Runner;
import org.unimeros.engine.source.HeldTable;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecordWriter;
import org.unimeros.storage.commit.DatasetSink;
import org.unimeros.storage.commit.WriteSpec;
import org.unimeros.storage.divert.DivertedRecords;
import org.unimeros.storage.scratch.ScratchFolder;

/** One run: plans it, carries it out, keeps its record. */
final class Execution {

    private static final Logger LOG = LoggerFactory.getLogger(Execution.class);
    private static final int MANY_FILES = 100;
    private static final long TINY_BYTES = 1 << 20;
    private static final DateTimeFormatter ID_TIME =
            DateTimeFormatter.ofPattern("uuuuMMdd-HHmmss").withZone(ZoneOffset.UTC);

    private final Settings settings;
    private final ProcessSpace shared;
    private final Attachments attachments;
    private final ProcessHeld local;
    private final List<RunListener> listeners;
    private final InstantSource clock;
    /** What {@code now()} is. */
    private final Instant moment;

    private final List<Execution> active;
    private final String id;
    /** The record complains from a thread of its own. */
    private final List<String> warnings = new CopyOnWriteArrayList<>();

    private final Optional<Cluster> cluster;
    private volatile Consumer<String> canceller;
    private boolean writesTogether;

    Execution(
            Settings settings,
            Optional<Cluster> cluster,
            ProcessSpace shared,
            List<RunListener> listeners,
            InstantSource clock,
            List<Execution> active,
            Attachments attachments,
            ProcessHeld local) {
        this(settings, cluster, shared, listeners, clock, active, attachments, local, clock.instant());
    }

    private Execution(
            Settings settings,
            Optional<Cluster> cluster,
            ProcessSpace shared,
            List<RunListener> listeners,
            InstantSource clock,
            List<Execution> active,
            Attachments attachments,
            ProcessHeld local,
            Instant moment) {
        this.moment = moment;
        this.local = local;
        this.attachments = attachments;
        this.cluster = cluster;
        this.shared = shared;
        this.settings = settings;
        this.listeners = listeners;
        this.clock = clock;
        this.active = active;
        Instant now = clock.instant();
        this.id = ID_TIME.format(now)
                + String.format("-%06x", ThreadLocalRandom.current().nextInt(1 << 24));
    }

    /** A run for a level of a recursive query, which has the moment of the whole and no record. */
    private Execution(Execution whole) {
        this(
                whole.settings.with(Setting.RUNS_FOLDER.name(), ""),
                whole.cluster,
                whole.shared,
                List.of(),
                whole.clock,
                whole.active,
                whole.attachments,
                whole.local,
                whole.moment);
    }

    /** The plan with the rows of recursive queries. What their levels warn of is said of the whole. */
    private Plan resolved(Plan plan) {
        return new Recursion(settings, this::level).resolved(plan);
    }

    private List<Batch> level(Plan plan) {
        Result result = new Execution(this).fetch(plan, "a level of a recursive query");
        List<String> said = new ArrayList<>(result.run().warnings());
        if (result.run().skippedRecords() > 0) {
            said.add("a level of a recursive query: " + result.run().badRecordsLeftOut());
        }
        said.stream().filter(w -> !warnings.contains(w)).forEach(warnings::add);
        return result.batches();
    }

    private PhysicalPlan planned(Plan plan, Function<Plan, PhysicalPlan> planner) {
        try {
            return planner.apply(Rewrite.apply(plan, moment));
        } catch (StackOverflowError e) {
            throw new UserMistake(
                    "these steps are too many or too deep to be planned together; write the result of some of"
                            + " them and go on from there",
                    e);
        }
    }

    Result fetch(Plan plan, String title) {
        PhysicalPlan physical =
                planned(resolved(plan), rewritten -> StagePlanner.forResult(rewritten, settings.forPlans()));
        Finished finished = carryOut(physical, title);
        return new Result(plan.schema(), finished.outcome, finished.run);
    }

    /** Runs, and holds the rows where they were made. */
    Held hold(Engine engine, Plan plan, String title) {
        PhysicalPlan physical =
                planned(resolved(plan), rewritten -> StagePlanner.forResult(rewritten, settings.forPlans()));
        AtomicReference<HeldRun> held = new AtomicReference<>();
        Finished finished = carryOut(physical, runner -> {
            held.set(runner.hold(id, title, shownSettings()));
            return held.get().outcome();
        });
        HeldTable table = new HeldTable(id, "held rows " + id, plan.schema(), held.get()::pieces);
        return new Held(engine, table, held.get(), finished.run);
    }

    Run write(Plan plan, String title, WriteSpec spec) {
        DatasetSink sink = new DatasetSink(spec, plan.schema(), id);
        Plan all = resolved(plan);
        PlanSettings together = settings.forPlans();
        writesTogether = settings.get(Setting.WRITE_TOGETHER.name()).equals("on");
        PlanSettings apart = together.withWritesTogether(writesTogether);
        PhysicalPlan physical = planned(all, rewritten -> StagePlanner.forSink(rewritten, sink, apart));
        Optional<PartitionSample.Estimate> partitions = PartitionSample.of(physical, WriteSpec.MOST_PARTITIONS);
        if (partitions.isPresent()) {
            refuseTooMany(partitions.get().least(), spec);
            if (settings.get(Setting.WRITE_TOGETHER.name()).equals("auto")
                    && makesTinyFiles(physical, partitions.get().about())) {
                writesTogether = true;
                physical = planned(all, rewritten -> StagePlanner.forSink(rewritten, sink, together));
            }
        }
        return carryOut(physical, title + ", written to " + spec.location()).run;
    }

    private static void refuseTooMany(long partitions, WriteSpec spec) {
        if (partitions > WriteSpec.MOST_PARTITIONS) {
            throw new UserMistake(
                    "the rows have more than " + Sizes.count(WriteSpec.MOST_PARTITIONS, "value") + " of "
                            + String.join(", ", spec.partitionColumns())
                            + ", each of which would be a folder with a file of its own; partition by columns with fewer values");
        }
    }

    /** Whether tasks that write apart would make many files of few rows. */
    private static boolean makesTinyFiles(PhysicalPlan physical, long partitions) {
        ScanPlan scan = physical.scans().get(0);
        long files = scan.splits().size() * partitions;
        return scan.splits().size() > 1 && files >= MANY_FILES && scan.bytes() / files < TINY_BYTES;
    }

    String explain(Plan plan) {
        PhysicalPlan physical = planned(plan, rewritten -> StagePlanner.forResult(rewritten, settings.forPlans()));
        return physical.print();
    }

    void cancel(String reason) {
        Consumer<String> current = canceller;
        if (current != null) {
            current.accept(reason);
        }
    }

    private record Finished(RunOutcome outcome, Run run) {}

    private Finished carryOut(PhysicalPlan physical, String title) {
        return carryOut(physical, runner -> runner.run(id, title, shownSettings()));
    }

    private Finished carryOut(PhysicalPlan physical, Function<Runner, RunOutcome> how) {
        long start = clock.millis();
        Optional<Path> record = recordPath();
        Optional<String> asked = Callers.line();
        try (RunRecordWriter writer =
                record.map(p -> new RunRecordWriter(p, this::warn)).orElse(null)) {
            RunListener all = event -> {
                if (writer != null) {
                    writer.happened(event);
                }
                note(event);
                listeners.forEach(l -> l.happened(event));
            };
            RunListener told = event -> {
                all.happened(event);
                if (event instanceof RunEvent.RunStarted) {
                    asked.ifPresent(line -> all.happened(new RunEvent.Asked(event.at(), line)));
                }
            };
            Runner runner = cluster.isPresent() ? remote(cluster.get(), physical, told) : here(physical, told);
            canceller = runner::cancel;
            active.add(this);
            RunOutcome outcome = how.apply(runner);
            return new Finished(outcome, run(physical, outcome, clock.millis() - start, record));
        } catch (UnimerosException e) {
            e.calledHere();
            throw e;
        } finally {
            active.remove(this);
        }
    }

    private Runner here(PhysicalPlan physical, RunListener all) {
        return new LocalRunner(
                physical,
                settings.forRuns(),
                all,
                clock,
                System::nanoTime,
                new DivertedRecords(badRecords()),
                scratch(),
                shared,
                attachments,
                local,
                TaskPrints::taking);
    }

    private Runner remote(Cluster workers, PhysicalPlan physical, RunListener all) {
        String job = settings.get(Setting.JOB.name());
        return new RemoteRunner(
                physical,
                settings.forRuns(),
                all,
                clock,
                badRecords().toAbsolutePath().toString(),
                scratch(),
                shared,
                workers.url(),
                workers.access(),
                Setting.millis(settings.get(Setting.COORDINATOR_WAIT.name())),
                job.isEmpty() || !workers.isElsewhere() ? null : job,
                attachments.pack(workers.isElsewhere() ? PlanCodec.ownClasses(physical) : Set.of()));
    }

    private boolean divertsBadRecords() {
        return settings.forRuns().badRecords() == RunSettings.BadRecordPolicy.DIVERT;
    }

    private Path badRecords() {
        return Path.of(settings.get(Setting.BAD_RECORDS_FOLDER.name()), id + ".jsonl");
    }

    private ScratchFolder scratch() {
        return new ScratchFolder(Path.of(settings.get(Setting.MEMORY_SCRATCH.name())));
    }

    private Run run(PhysicalPlan physical, RunOutcome outcome, long millis, Optional<Path> record) {
        warnOfTinyFiles(outcome);
        long skippedFiles = 0;
        long skippedBytes = 0;
        for (ScanPlan scan : physical.scans()) {
            skippedFiles += scan.skippedFiles();
            skippedBytes += scan.skippedBytes();
        }
        return new Run(
                id,
                outcome.rows(),
                outcome.bytes(),
                outcome.files(),
                outcome.skippedRecords(),
                skippedFiles,
                skippedBytes,
                millis,
                outcome.counters(),
                warnings,
                record.filter(Files::exists),
                Optional.of(badRecords()).filter(place -> outcome.skippedRecords() > 0 && divertsBadRecords()));
    }

    /** Every task writes a file of its own per partition, so that many values and many tasks make many small files. */
    private void warnOfTinyFiles(RunOutcome outcome) {
        if (outcome.files() >= MANY_FILES && outcome.bytes() / outcome.files() < TINY_BYTES) {
            warnings.add("wrote " + Sizes.count(outcome.files(), "file") + " of "
                    + Sizes.bytes(outcome.bytes() / outcome.files()) + " on average, "
                    + (writesTogether
                            ? "one per partition; partition by fewer values"
                            : "one per task and partition; set write.together to on, or partition by fewer values"));
        }
    }

    private Map<String, String> shownSettings() {
        return new TreeMap<>(settings.asMap());
    }

    private void note(RunEvent event) {
        if (event instanceof RunEvent.Warning warning) {
            warnings.add(warning.message());
        } else if (event instanceof RunEvent.Printed printed
                && settings.get(Setting.TASK_PRINTS.name()).equals("on")) {
            // As it would be written here, if the task ran in this process.
            printed.lines().forEach(System.err::println);
        }
    }

    private void warn(String message) {
        LOG.warn("{}", message);
        warnings.add(message);
    }

    private Optional<Path> recordPath() {
        String folder = settings.get(Setting.RUNS_FOLDER.name());
        return folder.isEmpty() ? Optional.empty() : Optional.of(RunFolder.place(Path.of(folder), id));
    }
}
