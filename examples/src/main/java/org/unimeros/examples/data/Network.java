package org.unimeros.examples.data;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.Locale;

/** The invented parcel network: how many of everything there are, and what belongs to what. */
final class Network {

    static final LocalDate FIRST_DAY = LocalDate.of(2031, 3, 1);
    static final int DAYS = 14;
    static final int DEPOTS = 40;
    static final int SHIPPERS = 500;
    static final int POSTCODES = 900;
    static final int SCANS_PER_PARCEL = 5;
    static final int BUSY_SHIPPER = 17;

    private static final long MINUTE = 60_000;
    private static final long HOUR = 60 * MINUTE;
    static final long LONGEST_DELAY = 6 * HOUR;

    /** The events in the life of a parcel, with the earliest time after its posting and how much later it can be. */
    enum Kind {
        PICKUP(0, 50),
        ARRIVAL(120, 50),
        SORTING(180, 40),
        HANDOVER(135, 110),
        DELIVERY(1080, 240);

        final long earliest;
        final int spreadMinutes;
        final String label = name().toLowerCase(Locale.ROOT);
        final String lost = "lost " + label;
        final String late = "late " + label;

        Kind(long earliestMinutes, int spreadMinutes) {
            this.earliest = earliestMinutes * MINUTE;
            this.spreadMinutes = spreadMinutes;
        }
    }

    private static final String[] SERVICES = {"standard", "standard", "standard", "express", "evening", "locker"};

    private final Chance chance;
    final long parcels;
    private final long start;
    private final long span;

    Network(long seed, long scans) {
        this.chance = new Chance(seed);
        this.parcels = Math.max(1, scans / SCANS_PER_PARCEL);
        this.start = FIRST_DAY.atStartOfDay(ZoneOffset.UTC).toInstant().toEpochMilli();
        this.span = DAYS * 24 * HOUR;
    }

    Chance chance() {
        return chance;
    }

    /** Parcels are numbered in the order in which they are posted. */
    long postedAt(long parcel) {
        return start + (long) ((double) parcel / parcels * (span - 24 * HOUR));
    }

    LocalDate postedOn(long parcel) {
        return Instant.ofEpochMilli(postedAt(parcel)).atOffset(ZoneOffset.UTC).toLocalDate();
    }

    /** The first parcel that is posted at or after a time. */
    long firstParcelAt(long time) {
        double place = (double) (time - start) / (span - 24 * HOUR) * parcels;
        return Math.clamp((long) Math.floor(place), 0, parcels);
    }

    long eventAt(long parcel, Kind kind) {
        int minutes = chance.number(kind.name(), parcel, kind.spreadMinutes);
        return postedAt(parcel) + kind.earliest + minutes * MINUTE + chance.number("second", parcel, 60_000);
    }

    /** One event in thirty never gets recorded. */
    boolean isRecorded(long parcel, Kind kind) {
        return !chance.happens(kind.lost, parcel, 33);
    }

    /** A few records reach the system hours after the event; they lie in the folder of a later hour. */
    long recordedAt(long parcel, Kind kind, long eventAt) {
        return chance.happens(kind.late, parcel, 4)
                ? eventAt + HOUR * (1 + chance.number("delay", parcel, 5))
                : eventAt;
    }

    int shipper(long parcel) {
        return chance.happens("busy", parcel, 400) ? BUSY_SHIPPER : 1 + chance.skewed("shipper", parcel, SHIPPERS);
    }

    String postcode(long parcel) {
        return postcodeText(chance.skewed("postcode", parcel, POSTCODES));
    }

    static String postcodeText(int number) {
        return String.format("%05d", 1000 + number * 37);
    }

    static int depotOfPostcode(int number) {
        return 1 + number * DEPOTS / POSTCODES;
    }

    String depot(long parcel, Kind kind) {
        int number = kind == Kind.DELIVERY || kind == Kind.HANDOVER
                ? depotOfPostcode(chance.skewed("postcode", parcel, POSTCODES))
                : 1 + chance.skewed("origin", parcel, DEPOTS);
        return depotText(number);
    }

    static String depotText(int number) {
        return String.format("D%02d", number);
    }

    /** The service, or null where nobody wrote it down. */
    String service(long parcel) {
        return chance.happens("no service", parcel, 50) ? null : chance.one("service", parcel, SERVICES);
    }

    /** The weight, or null for a parcel that was never weighed. */
    Integer weightGrams(long parcel) {
        return chance.happens("no weight", parcel, 20) ? null : 80 + chance.skewed("weight", parcel, 31_000);
    }
}
