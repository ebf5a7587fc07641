package org.unimeros.examples;

import java.nio.file.Path;
import org.unimeros.Engine;
import org.unimeros.Rows;
import org.unimeros.Run;

/** Adds to each parcel what three other tables know of it: its shipper, its destination and the depot there. */
public final class EnrichedParcels {

    private EnrichedParcels() {}

    /** Writes {@code out/enriched_parcels}, one folder per delivery zone. */
    public static Run run(Engine engine, Path data, Path out) {
        Rows parcels = engine.read(data.resolve("parcels").toString()).as("p");
        Rows shippers = engine.read(data.resolve("shippers.csv").toString()).as("s");
        Rows depots = engine.read(data.resolve("depots.csv").toString()).as("d");
        Rows postcodes = engine.read(data.resolve("postcodes.csv").toString()).as("c");
        return parcels.where("weight_g is not null")
                .join(shippers, "p.shipper_id = s.shipper_id")
                .join(postcodes, "p.postcode = c.postcode")
                .leftJoin(depots, "c.depot_id = d.depot_id")
                .select("""
                        p.parcel_id, s.name as shipper, s.tier, p.postcode, c.place, c.zone, d.name as depot,
                        coalesce(p.service, 'unknown') as service,
                        p.weight_g / 1000.0 as weight_kg,
                        case when p.weight_g > 20000 then 'heavy' when p.weight_g > 5000 then 'medium' else 'light' end
                            as weight_class,
                        p.declared_value, p.posted_on""")
                .write(
                        out.resolve("enriched_parcels").toString(),
                        as -> as.parquet().partitionedBy("zone").replacing());
    }

    public static void main(String[] args) {
        try (Engine engine = Engine.open()) {
            Run run = run(
                    engine, Path.of(args.length > 0 ? args[0] : "demo"), Path.of(args.length > 1 ? args[1] : "out"));
            System.out.println(run.summary());
        }
    }
}
