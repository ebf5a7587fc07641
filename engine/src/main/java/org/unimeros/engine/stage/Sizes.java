package org.unimeros.engine.stage;

import java.util.Locale;

/** Numbers for people. Bytes in units of 1024: kB, MB, GB, TB. */
public final class Sizes {

    private static final String[] UNITS = {"B", "kB", "MB", "GB", "TB", "PB"};

    private Sizes() {}

    public static String bytes(long bytes) {
        double value = bytes;
        int unit = 0;
        while (value >= 1024 && unit < UNITS.length - 1) {
            value /= 1024;
            unit++;
        }
        return unit == 0
                ? bytes + " B"
                : String.format(Locale.ROOT, value < 10 ? "%.1f %s" : "%.0f %s", value, UNITS[unit]);
    }

    /** A count with thin groups of three: 1,234,567. */
    public static String count(long count) {
        return String.format(Locale.ROOT, "%,d", count);
    }

    /** A count and its noun: {@code 1 file}, {@code 2 files}. */
    public static String count(long count, String noun) {
        return count(count) + " " + noun + (count == 1 ? "" : "s");
    }

    /** A duration: 940 ms, 3.2 s, 4 min 10 s. */
    public static String millis(long millis) {
        if (millis < 1000) {
            return millis + " ms";
        }
        if (millis < 120_000) {
            return String.format(Locale.ROOT, "%.1f s", millis / 1000.0);
        }
        return millis / 60_000 + " min " + millis / 1000 % 60 + " s";
    }
}
