package org.unimeros.examples.data;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/** Writes parcels, and which container held which parcel, as Parquet. */
final class ParcelTables {

    private static final long PARCELS_PER_FILE = 2_000_000;
    private static final Schema PARCELS = Schema.of(
            Field.of("parcel_id", DataType.LONG),
            Field.of("shipper_id", DataType.INT),
            Field.of("postcode", DataType.TEXT),
            Field.of("service", DataType.TEXT),
            Field.of("weight_g", DataType.INT),
            Field.of("declared_value", new DataType.Decimal(10, 2)),
            Field.of("fragile", DataType.BOOLEAN),
            Field.of("posted_on", DataType.DATE));
    private static final Schema CONTAINERS =
            Schema.of(Field.of("container_id", DataType.LONG), Field.of("parcel_id", DataType.LONG));

    private ParcelTables() {}

    static void write(Path folder, Network network) throws IOException {
        Format parquet = new Formats().byName("parquet");
        Path parcels = Files.createDirectories(folder.resolve("parcels"));
        long files = (network.parcels + PARCELS_PER_FILE - 1) / PARCELS_PER_FILE;
        for (long f = 0; f < files; f++) {
            long from = f * PARCELS_PER_FILE;
            Path path = parcels.resolve("parcels-" + f + ".parquet");
            parcels(parquet, path, network, from, Math.min(network.parcels, from + PARCELS_PER_FILE));
        }
        Path containers = Files.createDirectories(folder.resolve("containers"));
        containers(parquet, containers.resolve("containers-0.parquet"), network);
    }

    private static void parcels(Format format, Path path, Network network, long from, long end) {
        try (FileWriter out = format.write(StorePath.of(path), PARCELS, FormatOptions.DEFAULTS)) {
            BatchBuilder rows = new BatchBuilder(PARCELS);
            for (long parcel = from; parcel < end; parcel++) {
                parcel(rows, network, parcel);
                flush(rows, out, false);
            }
            flush(rows, out, true);
            out.finish();
        }
    }

    private static void parcel(BatchBuilder rows, Network network, long parcel) {
        Chance chance = network.chance();
        rows.column(0).appendLong(parcel + 1);
        rows.column(1).appendInt(network.shipper(parcel));
        rows.column(2).appendText(network.postcode(parcel));
        text(rows.column(3), network.service(parcel));
        Integer weight = network.weightGrams(parcel);
        if (weight == null) {
            rows.column(4).appendNull();
        } else {
            rows.column(4).appendInt(weight);
        }
        if (chance.happens("no value", parcel, 600)) {
            rows.column(5).appendNull();
        } else {
            rows.column(5).appendLong(500 + chance.skewed("value", parcel, 90_000));
        }
        rows.column(6).appendBoolean(chance.happens("fragile", parcel, 90));
        rows.column(7).appendInt((int) network.postedOn(parcel).toEpochDay());
        rows.endRow();
    }

    private static void text(ColumnBuilder column, String value) {
        if (value == null) {
            column.appendNull();
        } else {
            column.appendText(value);
        }
    }

    /** About sixty parcels to a container; one parcel in three travels in two; container 1 holds one parcel in twenty. */
    private static void containers(Format format, Path path, Network network) {
        Chance chance = network.chance();
        int containers = Math.clamp(network.parcels / 60, 2, Integer.MAX_VALUE);
        try (FileWriter out = format.write(StorePath.of(path), CONTAINERS, FormatOptions.DEFAULTS)) {
            BatchBuilder rows = new BatchBuilder(CONTAINERS);
            for (long parcel = 0; parcel < network.parcels; parcel++) {
                boolean huge = chance.happens("huge container", parcel, 50);
                pair(rows, huge ? 1 : 2 + chance.number("container", parcel, containers), parcel);
                if (chance.happens("second container", parcel, 333)) {
                    pair(rows, 2 + chance.number("other container", parcel, containers), parcel);
                }
                flush(rows, out, false);
            }
            flush(rows, out, true);
            out.finish();
        }
    }

    private static void pair(BatchBuilder rows, long container, long parcel) {
        rows.column(0).appendLong(container);
        rows.column(1).appendLong(parcel + 1);
        rows.endRow();
    }

    private static void flush(BatchBuilder rows, FileWriter out, boolean all) {
        if (rows.rowCount() >= Batch.TARGET_ROWS || all && rows.rowCount() > 0) {
            out.write(rows.build());
        }
    }
}
