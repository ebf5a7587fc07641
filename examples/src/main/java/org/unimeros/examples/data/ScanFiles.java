package org.unimeros.examples.data;

import com.fasterxml.jackson.core.JsonEncoding;
import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.function.LongConsumer;
import org.unimeros.examples.data.Network.Kind;

/**
 * Writes the scans: three small files per hour. An hour is made from the parcels whose events can fall into it, which
 * are neighbours, because parcels are numbered in the order of their posting.
 */
final class ScanFiles {

    private static final int FILES_PER_HOUR = 3;
    private static final long HOUR = 3_600_000;
    private static final String[] MODELS = {"Arco 3", "Arco 3", "Linse 12", "Pinto"};
    private static final String[] DEVICE_OF = {"device 0", "device 1", "device 2", "device 3", "device 4"};
    private static final String[] BROKEN = {
        "{\"scan_id\": 41, \"parcel_id\": 8, \"depot_id\": \"D0",
        "{\"scan_id\": \"none\", \"parcel_id\": 9, \"depot_id\": \"D03\", \"kind\": \"arrival\", \"at\": 0}",
        "restart of scanner 12, buffer dropped"
    };

    record Written(long scans, long broken) {}

    private final Path folder;
    private final Network network;
    private final LongConsumer progress;
    private final JsonFactory json = new JsonFactory();
    private long scans;

    ScanFiles(Path folder, Network network, LongConsumer progress) {
        this.folder = folder;
        this.network = network;
        this.progress = progress;
    }

    Written write() throws IOException {
        for (int day = 0; day < Network.DAYS; day++) {
            for (int hour = 0; hour < 24; hour++) {
                writeHour(Network.FIRST_DAY.plusDays(day), hour);
                progress.accept(scans);
            }
        }
        return new Written(scans, BROKEN.length);
    }

    private void writeHour(LocalDate day, int hour) throws IOException {
        Path hourFolder = folder.resolve(String.format("day=%s/hour=%02d", day, hour));
        Files.createDirectories(hourFolder);
        JsonGenerator[] files = new JsonGenerator[FILES_PER_HOUR];
        try {
            for (int f = 0; f < files.length; f++) {
                Path path = hourFolder.resolve("scanners-" + f + ".jsonl");
                files[f] = json.createGenerator(
                        new BufferedOutputStream(Files.newOutputStream(path), 1 << 15), JsonEncoding.UTF8);
                files[f].setPrettyPrinter(new MinimalPrettyPrinter(""));
            }
            long start = day.atStartOfDay(ZoneOffset.UTC).toInstant().toEpochMilli() + hour * HOUR;
            for (Kind kind : Kind.values()) {
                writeKind(kind, start, files);
            }
            boolean isBrokenHour = day.equals(Network.FIRST_DAY.plusDays(2)) && hour == 7;
            for (int i = 0; isBrokenHour && i < BROKEN.length; i++) {
                files[1].writeRaw(BROKEN[i] + "\n");
            }
        } finally {
            for (JsonGenerator file : files) {
                if (file != null) {
                    file.close();
                }
            }
        }
    }

    private void writeKind(Kind kind, long start, JsonGenerator[] files) throws IOException {
        long longest = kind.earliest + (kind.spreadMinutes + 1) * 60_000L + Network.LONGEST_DELAY;
        long last = network.firstParcelAt(start + HOUR - kind.earliest);
        for (long parcel = network.firstParcelAt(start - longest); parcel < last; parcel++) {
            if (network.isRecorded(parcel, kind)) {
                long at = network.eventAt(parcel, kind);
                long recorded = network.recordedAt(parcel, kind, at);
                if (recorded >= start && recorded < start + HOUR) {
                    write(files[network.chance().number("file", parcel, FILES_PER_HOUR)], parcel, kind, at);
                }
            }
        }
    }

    private void write(JsonGenerator out, long parcel, Kind kind, long at) throws IOException {
        Chance chance = network.chance();
        int device = chance.number(DEVICE_OF[kind.ordinal()], parcel, 400);
        out.writeStartObject();
        out.writeNumberField("scan_id", parcel * Network.SCANS_PER_PARCEL + kind.ordinal() + 1);
        out.writeNumberField("parcel_id", parcel + 1);
        out.writeStringField("depot_id", network.depot(parcel, kind));
        out.writeStringField("kind", kind.label);
        out.writeNumberField("at", at);
        out.writeObjectFieldStart("device");
        out.writeStringField("id", "S" + (100 + device));
        out.writeStringField("model", MODELS[device % MODELS.length]);
        if (chance.happens("no battery", parcel, 80)) {
            out.writeNullField("battery");
        } else {
            out.writeNumberField("battery", (5 + chance.number("battery", parcel, 95)) / 100.0);
        }
        out.writeEndObject();
        out.writeEndObject();
        out.writeRaw('\n');
        scans++;
    }
}
