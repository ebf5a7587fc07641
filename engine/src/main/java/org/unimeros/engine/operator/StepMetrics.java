package org.unimeros.engine.operator;

import java.io.Serializable;

/**
 * What one step of one task did.
 *
 * @param rows rows that it took in; for a source, rows that it made
 * @param bytes bytes that it read from or wrote to outside, or put into parts
 * @param nanos time spent in the step itself, without the steps behind it
 * @param spilled compressed bytes of rows that did not fit into memory and went to scratch files
 * @param spillNanos of {@code nanos}, to pack, write, read and unpack those rows
 */
public record StepMetrics(long rows, long bytes, long nanos, long spilled, long spillNanos) implements Serializable {

    /** Nothing was measured. */
    public static final StepMetrics NONE = new StepMetrics(0, 0, 0);

    /** A step that spilled nothing. */
    public StepMetrics(long rows, long bytes, long nanos) {
        this(rows, bytes, nanos, 0, 0);
    }

    /** What a step spilled, besides what it did. */
    public static StepMetrics spilled(long bytes, long nanos) {
        return new StepMetrics(0, 0, 0, bytes, nanos);
    }

    public StepMetrics minus(StepMetrics other) {
        return new StepMetrics(
                rows - other.rows,
                bytes - other.bytes,
                nanos - other.nanos,
                spilled - other.spilled,
                spillNanos - other.spillNanos);
    }

    public StepMetrics plus(StepMetrics other) {
        return new StepMetrics(
                rows + other.rows,
                bytes + other.bytes,
                nanos + other.nanos,
                spilled + other.spilled,
                spillNanos + other.spillNanos);
    }
}
