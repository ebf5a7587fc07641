package org.unimeros.examples.sick;

import java.math.BigInteger;
import java.nio.file.Path;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.code.Program;

/** A job that is slow for one reason, and the same without it. */
public enum SickJob {
    HOT_KEY(
            "hot-key",
            "hot-key",
            "one shipper has 85 % of the scans that are joined, and its part must not be cut",
            Map.of("join.copy-limit", "0", "shuffle.cut", "off"),
            Map.of(),
            (engine, data, isCured) -> fetch(
                    engine,
                    "select r.class, sum(length(regexp_replace(upper(s.depot || r.name), '[0-9]+', 'x'))) as letters from dataset('"
                            + data.scans() + "') s join dataset('" + data.rates()
                            + "') r on s.shipper = r.shipper group by r.class")),

    MANY_PAIRS(
            "many-pairs",
            "many-pairs",
            "scans are joined with each other by depots, of which there are few",
            Map.of(),
            Map.of(),
            (engine, data, isCured) -> {
                String some = "(select depot, weight from dataset('" + data.scans() + "') where scan % 160 = 7)";
                return fetch(
                        engine,
                        isCured
                                ? "select sum(n * n) as pairs, max(2 * w) as most from (select depot, count(*) as n, max(weight) as w from "
                                        + some + " s group by depot) d"
                                : "select count(*) as pairs, max(a.weight + b.weight) as most from " + some + " a join "
                                        + some + " b on a.depot = b.depot");
            }),

    PACKED_FILE(
            "packed-file",
            "few-tasks",
            "all lines are in one file that is compressed as a whole",
            Map.of(),
            Map.of("split.target", "4MB"),
            (engine, data, isCured) -> fetch(engine, perDepot(isCured ? data.lines() : data.packed()))),

    UNEVEN_FILES(
            "uneven-files",
            "uneven-splits",
            "one of nine packed files has nearly all lines",
            Map.of("split.target", "100kB"),
            Map.of("split.target", "100kB"),
            (engine, data, isCured) -> fetch(engine, perDepot(isCured ? data.evenlyPacked() : data.unevenlyPacked()))),

    SMALL_FILES(
            "small-files",
            "small-files",
            "thousands of files have twenty scans each",
            Map.of(),
            Map.of(),
            (engine, data, isCured) -> fetch(
                    engine,
                    "select depot, count(*) as scans from dataset('" + (isCured ? data.oneFile() : data.smallFiles())
                            + "') group by depot")),

    SMALL_TASKS(
            "small-tasks",
            "small-tasks",
            "lines are read in splits that are far too small",
            Map.of("split.target", "64kB"),
            Map.of("split.target", "8MB"),
            (engine, data, isCured) -> fetch(engine, "select count(*) as lines from dataset('" + data.lines() + "')")),

    ONE_WINDOW(
            "one-window",
            "few-tasks",
            "a window goes over all rows, where it could go over those of each depot",
            Map.of(),
            Map.of(),
            (engine, data, isCured) -> fetch(
                    engine,
                    "select max(before) as most from (select sum(weight) over ("
                            + (isCured ? "partition by depot " : "") + "order by at) as before from dataset('"
                            + data.scans() + "')) w")),

    LARGE_PARTS(
            "large-parts",
            "few-tasks",
            "parts are put together until one task has them all",
            Map.of("shuffle.part-target", "4GB"),
            Map.of(),
            (engine, data, isCured) -> fetch(
                    engine,
                    "select count(*) as n, max(weights) as most from (select scan % 700000 as key, list_agg(distinct weight) as weights"
                            + " from dataset('" + data.scans() + "') group by scan % 700000) k")),

    SPILLING(
            "spilling",
            "spilling",
            "the budget of memory is far too small for the groups",
            Map.of("memory.budget", "64MB"),
            Map.of(),
            (engine, data, isCured) -> fetch(
                    engine,
                    "select count(*) as n, max(name) as last from (select scan, max(depot || ' and more of it ' || scan) as name from dataset('"
                            + data.scans() + "') group by scan) g")),

    OWN_CODE(
            "own-code",
            "own-code",
            "code of the job works far longer on a row than it must",
            Map.of(),
            Map.of(),
            (engine, data, isCured) -> {
                String scans = "select scan, weight from dataset('" + data.scans() + "') where scan % 4 = 0";
                return engine.sql(scans)
                        .as(Weighed.class)
                        .map(Weighed.class, isCured ? SickJob::checked : SickJob::checkedSlowly)
                        .rows()
                        .summarise("sum(weight) as all")
                        .fetch();
            }),

    READ_AGAIN(
            "read-again",
            "read-again",
            "four questions read the same lines four times, where one question has all the answers",
            Map.of("split.target", "4MB"),
            Map.of("split.target", "4MB"),
            (engine, data, isCured) -> fetch(
                    engine,
                    isCured
                            ? "select weight % 4 as quarter, count(*) as scans, max(weight) as most from dataset('"
                                    + data.lines() + "') group by weight % 4"
                            : IntStream.range(0, 4)
                                    .mapToObj(i -> "select " + i
                                            + " as quarter, count(*) as scans, max(weight) as most from dataset('"
                                            + data.lines() + "') where weight % 4 = " + i)
                                    .collect(Collectors.joining(" union all ")))),

    SLOW_PROGRAM(
            "slow-program",
            "own-code",
            "every line goes through a program and back, for what SQL can say; needs sh and awk",
            Map.of("split.target", "4MB"),
            Map.of("split.target", "4MB"),
            (engine, data, isCured) -> isCured
                    ? fetch(
                            engine,
                            "select count(*) as lengths from (select length(line) as n from dataset('" + data.lines()
                                    + "', format => 'text') group by length(line)) l")
                    : engine.read(data.lines(), o -> o.format("text"))
                            .as(String.class)
                            .mapReduce(
                                    String.class,
                                    String.class,
                                    Program.shell("awk '{print length($0)}'").mapper())
                            .reduce(
                                    String.class,
                                    Program.shell("cut -f1 | uniq").reducer())
                            .rows()
                            .summarise("count(*) as lengths")
                            .fetch());

    /** What is read of a scan by code of the job. */
    public record Weighed(long scan, long weight) {}

    /** What the diagnosis is asked about. */
    @FunctionalInterface
    private interface Job {
        Result run(Engine engine, SickData data, boolean isCured);
    }

    private final String label;
    private final String finding;
    private final String what;
    private final Map<String, String> sick;
    private final Map<String, String> cured;
    private final Job job;

    SickJob(String label, String finding, String what, Map<String, String> sick, Map<String, String> cured, Job job) {
        this.label = label;
        this.finding = finding;
        this.what = what;
        this.sick = sick;
        this.cured = cured;
        this.job = job;
    }

    /** The name by which it is called. */
    public String label() {
        return label;
    }

    /** What is wrong with it. */
    public String what() {
        return what;
    }

    /** The kind of the finding that should come first. */
    public String finding() {
        return finding;
    }

    /** The settings that it runs under, to be changed by whoever tries what else helps. */
    public Settings settings(Settings base, boolean isCured) {
        // The data is small, so that splits and parts must be as well for all slots to have work.
        Settings all = base.with("split.target", "256kB").with("shuffle.part-target", "1MB");
        for (Map.Entry<String, String> setting : (isCured ? cured : sick).entrySet()) {
            all = all.with(setting.getKey(), setting.getValue());
        }
        return all;
    }

    /**
     * Makes the data of all sick jobs in a folder, unless it is there.
     *
     * @param rows of the largest dataset, at least a thousand
     * @throws org.unimeros.engine.error.ResourceFailure when it cannot be written
     */
    public static void prepare(Engine engine, Path folder, int rows) {
        SickData.make(engine, folder, rows);
    }

    /** Runs it over the data in a folder. */
    public Result run(Engine engine, Path folder, boolean isCured) {
        return job.run(engine, new SickData(folder), isCured);
    }

    private static Result fetch(Engine engine, String sql) {
        return engine.sql(sql).fetch();
    }

    private static String perDepot(String lines) {
        return "select depot, count(*) as scans, sum(weight) as weight, max(note) as last from dataset('" + lines
                + "') group by depot";
    }

    private static Weighed checked(Weighed scan) {
        return scan;
    }

    private static Weighed checkedSlowly(Weighed scan) {
        BigInteger number = BigInteger.valueOf(scan.scan() * 1_000_003 + 7);
        return new Weighed(
                scan.scan(),
                scan.weight() + number.modPow(number, BigInteger.valueOf(97)).signum() * 0L);
    }
}
