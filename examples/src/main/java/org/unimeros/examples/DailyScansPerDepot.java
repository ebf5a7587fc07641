package org.unimeros.examples;

import java.nio.file.Path;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;

/** Counts the scans of each depot and day: from a thousand small JSON files to Parquet, one folder per day. */
public final class DailyScansPerDepot {

    private DailyScansPerDepot() {}

    /** Computes the days of {@code data/scans} and replaces just these days in {@code out/depot_days}. */
    public static Run run(Engine engine, Path data, Path out) {
        return engine.read(
                        data.resolve("scans").toString(),
                        o -> o.column("depot_id", "text")
                                .column("kind", "text")
                                .column("battery", "double", "device.battery"))
                .groupBy("day", "depot_id")
                .summarise(
                        "count(*) as scans",
                        "count(*) filter (where kind = 'arrival') as arrivals",
                        "count(*) filter (where kind = 'delivery') as deliveries",
                        "avg(battery) as mean_battery")
                .write(
                        out.resolve("depot_days").toString(),
                        as -> as.parquet().partitionedBy("day").replacingPartitions());
    }

    public static void main(String[] args) {
        Settings skipping = Settings.defaults().with("bad-records", "divert").withEnvironment(System.getenv());
        try (Engine engine = Engine.open(skipping)) {
            Run run = run(
                    engine, Path.of(args.length > 0 ? args[0] : "demo"), Path.of(args.length > 1 ? args[1] : "out"));
            System.out.println(run.summary());
        }
    }
}
