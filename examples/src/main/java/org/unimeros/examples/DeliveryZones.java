package org.unimeros.examples;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.Map;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.code.Scalar1;
import org.unimeros.code.TaskContext;

/** How many parcels, and what weight, go to each delivery zone? The zone of a postcode is an own function that reads an attached file. */
public final class DeliveryZones {

    private DeliveryZones() {}

    /** Finds zones in the attachment {@code postcodes.csv}, which is opened once per task. */
    private static final class ZoneOf implements Scalar1<String, String> {
        private transient Map<String, String> zones;

        @Override
        public void taskBegins(TaskContext context) throws IOException {
            zones = new HashMap<>();
            for (String line : Files.readAllLines(context.attachment("postcodes.csv"))) {
                String[] fields = line.split(",");
                zones.put(fields[0], fields[2]);
            }
        }

        @Override
        public String apply(String postcode) {
            return postcode == null ? "none" : zones.getOrDefault(postcode, "unknown");
        }
    }

    public static Run run(Engine engine, Path data, Path out) {
        engine.attach("postcodes.csv", data.resolve("postcodes.csv"));
        engine.define("zone_of", String.class, String.class, new ZoneOf());
        return engine.read(data.resolve("parcels").toString())
                .derive("zone", "zone_of(postcode)")
                .groupBy("zone")
                .summarise("count(*) as parcels", "sum(weight_g) as weight_g")
                .write(out.resolve("delivery_zones").toString(), as -> as.csv().replacing());
    }

    public static void main(String[] args) {
        try (Engine engine = Engine.open(Settings.defaults().withEnvironment(System.getenv()))) {
            Path data = Path.of(args.length > 0 ? args[0] : "demo");
            System.out.println(run(engine, data, Path.of(args.length > 1 ? args[1] : "out"))
                    .summary());
        }
    }
}
