package org.unimeros.engine.aggregate;

import java.nio.ByteBuffer;
import java.util.Map;
import java.util.TreeMap;

/**
 * About which number lies at a fraction of all, by counting them in buckets whose bounds grow by a constant factor (C.
 * Masson, J. E. Rim, H. K. Lee, "DDSketch", 2019). What it tells is within half a per cent of a number at that place. The
 * state depends on the numbers only, not on their order or on how they were divided.
 */
final class QuantileSketch {

    private static final double ERROR = 0.005;
    private static final double LOG_FACTOR = Math.log((1 + ERROR) / (1 - ERROR));
    /** Numbers nearer to zero than this count as zero. */
    private static final double LEAST = 1e-300;

    /** Bucket numbers: above zero those of positive numbers, below those of negative ones, in the order of the numbers. */
    private final TreeMap<Integer, Long> buckets = new TreeMap<>();

    private static final int ZERO = 0;
    private static final int SHIFT = 1 << 20;

    void add(double value, long times) {
        buckets.merge(bucket(value), times, Long::sum);
    }

    private static int bucket(double value) {
        double size = Math.abs(value);
        if (size < LEAST) {
            return ZERO;
        }
        int bucket = SHIFT + (int) Math.ceil(Math.log(Math.min(size, Double.MAX_VALUE)) / LOG_FACTOR);
        return value < 0 ? -bucket : bucket;
    }

    private static double middle(int bucket) {
        if (bucket == ZERO) {
            return 0;
        }
        double upper = Math.exp((Math.abs(bucket) - SHIFT) * LOG_FACTOR);
        return Math.copySign(upper * (1 - ERROR), bucket);
    }

    void addAll(QuantileSketch other) {
        other.buckets.forEach((bucket, times) -> buckets.merge(bucket, times, Long::sum));
    }

    boolean isEmpty() {
        return buckets.isEmpty();
    }

    double at(double fraction) {
        long all = buckets.values().stream().mapToLong(n -> n).sum();
        long wanted = Math.max(1, (long) Math.ceil(fraction * all));
        long seen = 0;
        for (Map.Entry<Integer, Long> bucket : buckets.entrySet()) {
            seen += bucket.getValue();
            if (seen >= wanted) {
                return middle(bucket.getKey());
            }
        }
        throw new IllegalStateException("no values");
    }

    byte[] write() {
        ByteBuffer out = ByteBuffer.allocate(12 * buckets.size());
        buckets.forEach((bucket, times) -> out.putInt(bucket).putLong(times));
        return out.array();
    }

    static QuantileSketch read(byte[] bytes, int start, int length) {
        QuantileSketch sketch = new QuantileSketch();
        ByteBuffer in = ByteBuffer.wrap(bytes, start, length);
        while (in.hasRemaining()) {
            sketch.buckets.put(in.getInt(), in.getLong());
        }
        return sketch;
    }

    long sizeInBytes() {
        return 64 + 72L * buckets.size();
    }
}
