package org.unimeros;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Consumer;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.cluster.job.MainProcess;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.insight.RecordLimits;

/**
 * One thing that can be set: its name, what it is when nobody sets it, and what it does. Help and documentation are
 * printed from these.
 */
public record Setting(String name, String defaultValue, String unit, String description, Consumer<String> check) {

    private static final long LEAST_MEMORY = 64 << 20;
    private static final Pattern TIME = Pattern.compile("(?=0$|.*[a-z])(\\d{1,9}) ?(ms|s|min|h|d|)");

    static final Setting SLOTS = new Setting(
            "slots",
            "0",
            "tasks",
            "How many tasks run at the same time, in this process or on each worker; 0 is one per processor.",
            v -> whole(v, 0, 1024));
    static final Setting WORKERS = new Setting(
            "workers",
            "0",
            "processes",
            "Worker processes of this machine that are started for the job; 0 runs it in this process.",
            v -> whole(v, 0, 256));
    static final Setting WORKER_MEMORY = new Setting(
            "worker.memory",
            "0",
            "bytes",
            "The most memory of a worker process that is started; 0 is an even share of what this process may have.",
            v -> bytesOrNone(v, LEAST_MEMORY));
    static final Setting COORDINATOR = new Setting(
            "coordinator",
            "",
            "",
            "The address of a coordinator whose workers run the job, such as http://depot-3:7420.",
            v -> {});
    static final Setting COORDINATOR_WAIT = new Setting(
            "coordinator.wait",
            "60s",
            "time",
            "How long a run waits for a coordinator that does not answer, before it begins and in the middle of it.",
            Setting::millis);
    static final Setting JOB = new Setting(
            "job",
            "",
            "",
            "The job of the coordinator that runs belong to; `unimeros submit` sets it for the programs that it launches.",
            v -> {});
    static final Setting JOB_ATTACHED = new Setting(
            "job.attached",
            "",
            "",
            "A folder of files that every engine attaches; `unimeros submit` sets it as well.",
            v -> {});
    static final Setting MAIN_MEMORY = new Setting(
            "main.memory",
            "1GB",
            "bytes",
            "The most memory of the main program of a job that is submitted.",
            v -> bytes(v, LEAST_MEMORY));
    static final Setting RUN_PRIORITY = new Setting(
            "run.priority",
            String.valueOf(RunSettings.USUAL_PRIORITY),
            "",
            "Where several runs wait for slots, those of higher priority come first; runs of the same one share them.",
            v -> whole(v, 0, 100));
    static final Setting RUN_SLOT_LIMIT = new Setting(
            "run.slot-limit",
            "0",
            "tasks",
            "No more tasks of a run than this at the same time, on all workers together; 0 is as many as there are"
                    + " slots.",
            v -> whole(v, 0, 1_000_000));
    static final Setting SPLIT_TARGET = new Setting(
            "split.target",
            "32MB",
            "bytes",
            "How much one scan task reads: big files are cut, small ones packed.",
            v -> bytes(v, 1 << 10));
    static final Setting COPY_LIMIT = new Setting(
            "join.copy-limit",
            "32MB",
            "bytes",
            "A join side expected to be no larger is copied to all tasks.",
            v -> bytes(v, 0));
    static final Setting JOIN_SWAP = new Setting(
            "join.swap",
            "on",
            "",
            "Whether a shuffled join becomes a copied one when a side turns out small: on or off.",
            v -> oneOf(v, "on", "off"));
    static final Setting JOIN_ORDER = new Setting(
            "join.order",
            "size",
            "",
            "The order of several inner joins: size, by the expected rows of their inputs, or written.",
            v -> oneOf(v, "size", "written"));
    static final Setting JOIN_PAIRS_LIMIT = new Setting(
            "join.pairs-limit",
            "100000000",
            "rows",
            "A join that makes more rows than this, beyond one for each row it looks up, is reported.",
            v -> whole(v, 1, Long.MAX_VALUE));
    static final Setting JOIN_OVER_LIMIT = new Setting(
            "join.over-limit",
            "warn",
            "",
            "What becomes of a join over the limit of pairs: warn or fail.",
            v -> oneOf(v, "warn", "fail"));
    static final Setting LOOKUP_LIMIT = new Setting(
            "lookup.limit",
            "64MB",
            "bytes",
            "A lookup of a job's own code must not be larger than this, compressed.",
            v -> bytes(v, 0));
    static final Setting SHUFFLE_PARTS = new Setting(
            "shuffle.parts",
            "32",
            "parts",
            "Into how many parts a shuffle divides its rows.",
            v -> whole(v, 1, 65_536));
    static final Setting PART_TARGET = new Setting(
            "shuffle.part-target",
            "16MB",
            "bytes",
            "Small parts are merged up to this size, and larger ones are cut; 0 does neither.",
            v -> bytes(v, 0));
    static final Setting SHUFFLE_CUT = new Setting(
            "shuffle.cut",
            "on",
            "",
            "Whether a part that is too large for one task, as that of a frequent key, is cut into pieces for several, where what is"
                    + " done with its rows allows it: on or off.",
            v -> oneOf(v, "on", "off"));
    static final Setting MEMORY_BUDGET = new Setting(
            "memory.budget",
            "0",
            "bytes",
            "What all runs of an engine may hold in memory together; the rest is spilled. 0 is half of the memory of the"
                    + " process.",
            v -> bytesOrNone(v, LEAST_MEMORY));
    static final Setting MEMORY_SCRATCH = new Setting(
            "memory.scratch",
            ".unimeros/scratch",
            "",
            "Where rows are spilled to; files there go with the process.",
            v -> {});
    static final Setting WRITE_CONFLICT = new Setting(
            "write.conflict",
            "refuse",
            "",
            "What becomes of a run that replaces data which another run has written since it began: refuse, or replace that"
                    + " as well.",
            v -> oneOf(v, "refuse", "replace"));
    static final Setting WRITE_KEEP_REPLACED = new Setting(
            "write.keep-replaced",
            "10min",
            "time",
            "How long replaced files are kept for readers that have listed them; whoever writes next deletes older ones.",
            Setting::millis);
    static final Setting WRITE_TOGETHER = new Setting(
            "write.together",
            "auto",
            "",
            "Whether the rows of each partition are brought together before they are written, so that it gets one file and not"
                    + " one of each task: on, off, or auto, where some rows of a scan show that there would be many small"
                    + " files. Rows in an order are left in it.",
            v -> oneOf(v, "auto", "on", "off"));
    static final Setting TASK_ATTEMPTS = new Setting(
            "task.attempts",
            "3",
            "attempts",
            "Tries before a task that fails for want of a resource fails the run.",
            v -> whole(v, 1, 100));
    static final Setting TASK_PRINTS = new Setting(
            "task.prints",
            "on",
            "",
            "Whether what code of a job prints in tasks is written to the error output of the program that asked for the run: on"
                    + " or off; it is in the record of the run in any case.",
            v -> oneOf(v, "on", "off"));
    static final Setting TASK_TIME_LIMIT = new Setting(
            "task.time-limit",
            "0",
            "time",
            "An attempt of a task that takes longer, such as 90s or 10min, has failed, and is tried again; 0 is no limit.",
            Setting::millis);
    static final Setting BAD_RECORDS = new Setting(
            "bad-records",
            "fail",
            "",
            "What happens with records that cannot be read: fail, skip or divert.",
            v -> oneOf(v, "fail", "skip", "divert"));
    static final Setting BAD_RECORDS_FOLDER = new Setting(
            "bad-records.folder", "bad-records", "", "Where diverted records are kept, in a file per run.", v -> {});
    static final Setting BAD_RECORDS_LIMIT = new Setting(
            "bad-records.limit",
            "10000",
            "records",
            "With more bad records than this a run fails nevertheless.",
            v -> whole(v, 0, Long.MAX_VALUE));
    static final Setting RECURSION_LEVELS = new Setting(
            "recursion.levels",
            "1000",
            "levels",
            "A recursive query that has rows after so many levels fails; each level is a run.",
            v -> whole(v, 1, 1_000_000));
    static final Setting RECURSION_ROWS = new Setting(
            "recursion.rows",
            "10000000",
            "rows",
            "A recursive query that makes more rows fails; they are held in memory.",
            v -> whole(v, 1, Integer.MAX_VALUE));
    static final Setting RUNS_FOLDER =
            new Setting("runs.folder", ".unimeros/runs", "", "Where run records are kept; empty keeps none.", v -> {});
    static final Setting RUNS_KEEP = new Setting(
            "runs.keep",
            "1000, 2GB",
            "",
            "Which run records are kept, the newest of them: a number, an age such as 30d, a size of all together, or several of"
                    + " these; all keeps all. Others are removed when a job begins.",
            Setting::limits);
    static final Setting PAGE_PORT = new Setting(
            "page.port",
            "",
            "",
            "Where an engine serves the list of runs and their pages to browsers of this machine while it is open: a port, or 0 for"
                    + " one that is free; empty serves none.",
            v -> {
                if (!v.isEmpty()) {
                    whole(v, 0, 65_535);
                }
            });

    private static final List<Setting> ALL = List.of(
            SLOTS,
            WORKERS,
            WORKER_MEMORY,
            COORDINATOR,
            COORDINATOR_WAIT,
            JOB,
            JOB_ATTACHED,
            MAIN_MEMORY,
            RUN_PRIORITY,
            RUN_SLOT_LIMIT,
            SPLIT_TARGET,
            COPY_LIMIT,
            JOIN_SWAP,
            JOIN_ORDER,
            JOIN_PAIRS_LIMIT,
            JOIN_OVER_LIMIT,
            LOOKUP_LIMIT,
            SHUFFLE_PARTS,
            PART_TARGET,
            SHUFFLE_CUT,
            MEMORY_BUDGET,
            MEMORY_SCRATCH,
            WRITE_CONFLICT,
            WRITE_KEEP_REPLACED,
            WRITE_TOGETHER,
            TASK_ATTEMPTS,
            TASK_TIME_LIMIT,
            TASK_PRINTS,
            BAD_RECORDS,
            BAD_RECORDS_FOLDER,
            BAD_RECORDS_LIMIT,
            RECURSION_LEVELS,
            RECURSION_ROWS,
            RUNS_FOLDER,
            RUNS_KEEP,
            PAGE_PORT);

    /** Every setting, in the order of the documentation. */
    public static List<Setting> all() {
        return ALL;
    }

    /** The environment variable that sets it: {@code UNIMEROS_SPLIT_TARGET}. */
    public String environmentVariable() {
        return MainProcess.variable(name);
    }

    static long whole(String text, long least, long most) {
        try {
            long value = Long.parseLong(text.strip());
            if (value >= least && value <= most) {
                return value;
            }
        } catch (NumberFormatException e) {
            throw new IllegalArgumentException("a whole number", e);
        }
        throw new IllegalArgumentException(
                "a whole number from " + least + (most == Long.MAX_VALUE ? " on" : " to " + most));
    }

    /** A time such as 90s or 10min, or 0. */
    static long millis(String text) {
        Matcher time = TIME.matcher(text.strip().toLowerCase(Locale.ROOT));
        if (!time.matches()) {
            throw new IllegalArgumentException("a time such as 500ms, 90s, 10min, 2h or 30d, or 0");
        }
        long unit = switch (time.group(2)) {
            case "ms" -> 1;
            case "min" -> 60_000;
            case "h" -> 3_600_000;
            case "d" -> 86_400_000;
            default -> 1_000;
        };
        return Long.parseLong(time.group(1)) * unit;
    }

    /** What is kept of records: {@code 1000, 30d, 2GB}. */
    static RecordLimits limits(String text) {
        RecordLimits limits = RecordLimits.NONE;
        for (String part : text.equals("all") ? new String[0] : text.split(",", -1)) {
            String one = part.strip().toLowerCase(Locale.ROOT);
            if (one.matches("[1-9]\\d{0,9}")) {
                limits = new RecordLimits(Long.parseLong(one), limits.ageMillis(), limits.bytes());
            } else if (one.matches("[1-9].*b")) {
                limits = new RecordLimits(limits.number(), limits.ageMillis(), bytes(one, 1));
            } else if (one.matches("[1-9].*(ms|s|min|h|d)")) {
                limits = new RecordLimits(limits.number(), millis(one), limits.bytes());
            } else {
                throw new IllegalArgumentException(
                        "all, or of a number, an age and a size some, such as 1000, 30d, 2GB");
            }
        }
        return limits;
    }

    /** A size such as 64MB, in units of 1024. */
    static long bytes(String text, long least) {
        String bare = text.strip().toLowerCase(Locale.ROOT).replace(" ", "");
        List<String> units = new ArrayList<>(List.of("b", "kb", "mb", "gb", "tb"));
        for (int i = units.size() - 1; i >= 0; i--) {
            if (bare.endsWith(units.get(i))) {
                String number = bare.substring(0, bare.length() - units.get(i).length());
                return scaled(number, 10 * i, least);
            }
        }
        return scaled(bare, 0, least);
    }

    /** A size from {@code least} on, or 0. */
    private static void bytesOrNone(String text, long least) {
        if (bytes(text, 0) != 0 && bytes(text, 0) < least) {
            throw new IllegalArgumentException("0, or a size of at least " + least / (1 << 20) + "MB");
        }
    }

    private static long scaled(String number, int shift, long least) {
        try {
            double value = Double.parseDouble(number) * (1L << shift);
            if (value >= least && value < Long.MAX_VALUE) {
                return (long) value;
            }
        } catch (NumberFormatException e) {
            throw new IllegalArgumentException("a size such as 64MB", e);
        }
        throw new IllegalArgumentException("a size of at least " + least + " bytes");
    }

    private static void oneOf(String value, String... allowed) {
        if (!List.of(allowed).contains(value)) {
            throw new IllegalArgumentException("one of " + String.join(", ", allowed));
        }
    }
}
