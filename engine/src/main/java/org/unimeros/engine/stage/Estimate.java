package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.data.Batch;

/**
 * What is expected of an intermediate result. -1 is unknown.
 *
 * @param supposesKeys whether it supposes that the keys of a join are those of a table on one side, so that no row finds several
 */
public record Estimate(long rows, long bytes, boolean supposesKeys) implements Serializable {

    public static final Estimate UNKNOWN = new Estimate(-1, -1);

    public Estimate(long rows, long bytes) {
        this(rows, bytes, false);
    }

    /** The size of rows that are there. */
    static Estimate of(List<Batch> batches) {
        return new Estimate(
                batches.stream().mapToLong(Batch::rowCount).sum(),
                batches.stream().mapToLong(Batch::sizeInBytes).sum());
    }

    Estimate scaled(double factor) {
        return new Estimate(scale(rows, factor), scale(bytes, factor), supposesKeys);
    }

    /** What is left when at most so many rows pass. */
    Estimate limited(long mostRows) {
        return rows <= mostRows ? this : new Estimate(mostRows, scale(bytes, (double) mostRows / rows));
    }

    Estimate plus(Estimate other) {
        boolean known = bytes >= 0 && other.bytes >= 0;
        boolean rowsKnown = rows >= 0 && other.rows >= 0;
        return new Estimate(
                rowsKnown ? rows + other.rows : -1,
                known ? bytes + other.bytes : -1,
                supposesKeys || other.supposesKeys);
    }

    private static long scale(long value, double factor) {
        return value < 0 ? -1 : (long) Math.ceil(value * factor);
    }

    /** {@code of about 2.0 MB and 10,000 rows}, or {@code of unknown size}. */
    String inWords() {
        return bytes < 0
                ? "of unknown size"
                : "of about " + Sizes.bytes(bytes) + (rows < 0 ? "" : " and " + Sizes.count(rows, "row"));
    }

    /** What is said behind {@link #inWords} where there can be many more. */
    String supposition() {
        return rows >= 0 && supposesKeys ? ", more where keys of a join repeat on both sides" : "";
    }
}
