package org.unimeros.examples;

import java.nio.file.Path;
import java.time.LocalDate;
import org.unimeros.Engine;
import org.unimeros.Rows;
import org.unimeros.Run;
import org.unimeros.Settings;

/**
 * Which arrivals were followed by a handover of the same parcel within 45 minutes? A left join with a time window, and a
 * truth value for the match. Handovers are read for a period that is 45 minutes longer, so that arrivals just before its
 * end find theirs.
 */
public final class HandoverWithin45Minutes {

    private HandoverWithin45Minutes() {}

    /** Looks at the arrivals from a day on, up to another day, and writes {@code out/handovers}. */
    public static Run run(Engine engine, Path data, Path out, LocalDate from, LocalDate to) {
        Rows scans = engine.read(
                        data.resolve("scans").toString(),
                        o -> o.column("scan_id", "long")
                                .column("parcel_id", "long")
                                .column("depot_id", "text")
                                .column("kind", "text")
                                .column("at_millis", "long", "at"))
                .derive("at", "timestamp_of_millis(at_millis)");
        Rows arrivals = scans.where("kind = 'arrival' and day >= date '" + from + "' and day < date '" + to + "'")
                .as("a");
        Rows handovers = scans.where("kind = 'handover' and day >= date '" + from + "' and day <= date '" + to + "'"
                        + " and at < date '" + to + "' + interval '45' minute")
                .as("h");
        return arrivals.leftJoin(
                        handovers, "a.parcel_id = h.parcel_id and h.at >= a.at and h.at <= a.at + interval '45' minute")
                .derive("followed", "h.scan_id is not null")
                .groupBy("a.scan_id", "a.parcel_id", "a.depot_id", "a.at")
                .summarise("bool_or(followed) as followed", "min(h.at) as handover_at")
                .write(out.resolve("handovers").toString(), as -> as.parquet().replacing());
    }

    public static void main(String[] args) {
        Settings skipping = Settings.defaults().with("bad-records", "divert").withEnvironment(System.getenv());
        try (Engine engine = Engine.open(skipping)) {
            Run run = run(
                    engine,
                    Path.of(args.length > 0 ? args[0] : "demo"),
                    Path.of(args.length > 1 ? args[1] : "out"),
                    LocalDate.of(2031, 3, 2),
                    LocalDate.of(2031, 3, 4));
            System.out.println(run.summary());
        }
    }
}
