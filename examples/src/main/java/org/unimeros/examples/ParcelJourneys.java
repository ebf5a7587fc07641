package org.unimeros.examples;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;

/**
 * The way of every parcel, put together from its scans: all scans of a parcel come to one reducer in the order of their times (a secondary
 * sort), so that it only has to walk along.
 */
public final class ParcelJourneys {

    private ParcelJourneys() {}

    /** What is read of a scan. */
    public record Scan(long scanId, long parcelId, String depotId, String kind, long at) {}

    /**
     * The way of a parcel.
     *
     * @param depots one after the other, each once in a row
     * @param minutes between its first and its last scan
     * @param longestStop minutes between two scans at the same depot
     */
    public record Journey(
            long parcelId, List<String> depots, int scans, long minutes, long longestStop, boolean delivered) {}

    public static Run run(Engine engine, Path data, Path out) {
        return engine.read(
                        data.resolve("scans").toString(),
                        o -> o.column("scan_id", "long")
                                .column("parcel_id", "long")
                                .column("depot_id", "text")
                                .column("kind", "text")
                                .column("at", "long"))
                .as(Scan.class)
                .keyBy(Long.class, Scan::parcelId)
                .sortValues("at, scan_id")
                .reducers(8)
                .reduce(Journey.class, (parcel, scans, journeys) -> journeys.add(journey(parcel, scans)))
                .write(out.resolve("journeys").toString(), as -> as.parquet().replacing());
    }

    private static Journey journey(long parcel, Iterable<Scan> scans) {
        List<String> depots = new ArrayList<>();
        Scan first = null;
        Scan last = null;
        int count = 0;
        long longestStop = 0;
        boolean delivered = false;
        for (Scan scan : scans) {
            first = first == null ? scan : first;
            if (last != null && scan.depotId().equals(last.depotId())) {
                longestStop = Math.max(longestStop, minutes(last, scan));
            } else {
                depots.add(scan.depotId());
            }
            delivered |= scan.kind().equals("delivery");
            last = scan;
            count++;
        }
        return new Journey(parcel, depots, count, minutes(first, last), longestStop, delivered);
    }

    private static long minutes(Scan from, Scan to) {
        return (to.at() - from.at()) / 60_000;
    }

    public static void main(String[] args) {
        Settings settings = Settings.defaults().with("bad-records", "divert").withEnvironment(System.getenv());
        try (Engine engine = Engine.open(settings)) {
            Path data = Path.of(args.length > 0 ? args[0] : "demo");
            System.out.println(run(engine, data, Path.of(args.length > 1 ? args[1] : "out"))
                    .summary());
        }
    }
}
