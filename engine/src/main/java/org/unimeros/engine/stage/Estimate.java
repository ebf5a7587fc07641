package org.unimeros.engine.stage;

/** What is expected of an intermediate result. -1 is unknown. */
public record Estimate(long rows, long bytes) {

    public static final Estimate UNKNOWN = new Estimate(-1, -1);

    Estimate scaled(double factor) {
        return new Estimate(scale(rows, factor), scale(bytes, factor));
    }

    Estimate plus(Estimate other) {
        boolean known = bytes >= 0 && other.bytes >= 0;
        boolean rowsKnown = rows >= 0 && other.rows >= 0;
        return new Estimate(rowsKnown ? rows + other.rows : -1, known ? bytes + other.bytes : -1);
    }

    private static long scale(long value, double factor) {
        return value < 0 ? -1 : (long) Math.ceil(value * factor);
    }

    @Override
    public String toString() {
        return bytes < 0
                ? "of unknown size"
                : "about " + Sizes.bytes(bytes) + (rows < 0 ? "" : " and " + Sizes.count(rows) + " rows");
    }
}
