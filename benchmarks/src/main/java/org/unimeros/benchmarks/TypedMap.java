package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.Map;
import java.util.TreeMap;
import org.unimeros.Engine;
import org.unimeros.Rows;
import org.unimeros.Settings;

/** A lambda over typed records, beside the engine itself with the same in SQL: the charge of each parcel, summed by depot. */
final class TypedMap extends Entry {

    private final ParquetAggregate scans;
    private final Path file;

    /** What is read of a scan. */
    record Scan(long scanId, String depotId, int weightG) {}

    /** What is made of it. */
    record Charge(String depotId, long cents) {}

    TypedMap(Path folder, long rows) {
        super(
                "typed-map",
                String.format(
                        "%,d rows of Parquet as typed records, mapped by a lambda; against the same in SQL", rows),
                rows,
                folder.resolve("scans-" + rows + ".parquet"));
        this.scans = new ParquetAggregate(folder, rows);
        this.file = folder.resolve("scans-" + rows + ".parquet");
    }

    @Override
    void prepare() throws Exception {
        scans.prepare();
    }

    private interface Query {
        Rows charges(Engine engine);
    }

    private static Map<String, Long> sums(int slots, Query query) {
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(slots))
                .with("runs.folder", "")
                .with("split.target", "4MB");
        Map<String, Long> result = new TreeMap<>();
        try (Engine engine = Engine.local(settings)) {
            query.charges(engine)
                    .groupBy("depot_id")
                    .summarise("sum(cents) as cents")
                    .fetch()
                    .rows()
                    .forEach(r -> result.put(r.text("depot_id"), r.longValue("cents")));
        }
        return result;
    }

    @Override
    Object ours(int slots) {
        return sums(
                slots,
                engine -> engine.read(file.toString())
                        .as(Scan.class)
                        .map(Charge.class, s -> new Charge(s.depotId(), 250 + s.weightG() / 20 + s.scanId() % 7))
                        .rows());
    }

    @Override
    Object handWritten(int threads) {
        return sums(
                threads,
                engine -> engine.read(file.toString()).select("depot_id, 250 + weight_g / 20 + scan_id % 7 as cents"));
    }
}
