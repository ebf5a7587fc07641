package org.unimeros.engine.aggregate;

import java.nio.ByteBuffer;
import java.util.Arrays;

/**
 * About how many different hashes were added: exactly while there are few, then by the HyperLogLog registers of P.
 * Flajolet and others, 2007, read by the estimator of O. Ertl, "New cardinality estimation algorithms for HyperLogLog
 * sketches", 2017, which needs no corrections. 4,096 registers: the standard error is 1.6 %. The state depends on the
 * set of hashes only, not on their order or on how they were divided.
 */
final class DistinctSketch {

    private static final int BITS = 12;
    private static final int REGISTERS = 1 << BITS;
    private static final int HIGHEST = 64 - BITS + 1;
    private static final int MOST_EXACT = 256;

    private long[] exact = new long[4];
    private int count;
    private byte[] registers;

    void add(long hash) {
        if (registers != null) {
            register(hash);
            return;
        }
        int place = Arrays.binarySearch(exact, 0, count, hash);
        if (place >= 0) {
            return;
        }
        if (count == MOST_EXACT) {
            spread();
            register(hash);
            return;
        }
        if (count == exact.length) {
            exact = Arrays.copyOf(exact, count * 2);
        }
        int at = -place - 1;
        System.arraycopy(exact, at, exact, at + 1, count - at);
        exact[at] = hash;
        count++;
    }

    private void spread() {
        registers = new byte[REGISTERS];
        for (int i = 0; i < count; i++) {
            register(exact[i]);
        }
        exact = null;
        count = 0;
    }

    private void register(long hash) {
        int register = (int) (hash >>> 64 - BITS);
        byte rank = (byte) (Math.min(Long.numberOfLeadingZeros(hash << BITS), HIGHEST - 1) + 1);
        if (rank > registers[register]) {
            registers[register] = rank;
        }
    }

    void addAll(DistinctSketch other) {
        if (other.registers == null) {
            for (int i = 0; i < other.count; i++) {
                add(other.exact[i]);
            }
            return;
        }
        if (registers == null) {
            spread();
        }
        for (int i = 0; i < REGISTERS; i++) {
            registers[i] = (byte) Math.max(registers[i], other.registers[i]);
        }
    }

    long estimate() {
        if (registers == null) {
            return count;
        }
        int[] times = new int[HIGHEST + 1];
        for (byte register : registers) {
            times[register]++;
        }
        double z = REGISTERS * tau(1 - times[HIGHEST] / (double) REGISTERS);
        for (int k = HIGHEST - 1; k >= 1; k--) {
            z = 0.5 * (z + times[k]);
        }
        z += REGISTERS * sigma(times[0] / (double) REGISTERS);
        return Math.round(REGISTERS / (2 * Math.log(2)) * REGISTERS / z);
    }

    private static double sigma(double share) {
        if (share == 1) {
            return Double.POSITIVE_INFINITY;
        }
        double x = share;
        double y = 1;
        double z = x;
        double before;
        do {
            x *= x;
            before = z;
            z += x * y;
            y += y;
        } while (z != before);
        return z;
    }

    private static double tau(double share) {
        if (share == 0 || share == 1) {
            return 0;
        }
        double x = share;
        double y = 1;
        double z = 1 - x;
        double before;
        do {
            x = Math.sqrt(x);
            before = z;
            y *= 0.5;
            z -= (1 - x) * (1 - x) * y;
        } while (z != before);
        return z / 3;
    }

    byte[] write() {
        if (registers != null) {
            return registers;
        }
        ByteBuffer out = ByteBuffer.allocate(8 * count);
        for (int i = 0; i < count; i++) {
            out.putLong(exact[i]);
        }
        return out.array();
    }

    /** The sketch of some bytes; registers are longer than any list of hashes. */
    static DistinctSketch read(byte[] bytes, int start, int length) {
        DistinctSketch sketch = new DistinctSketch();
        if (length == REGISTERS) {
            sketch.registers = Arrays.copyOfRange(bytes, start, start + length);
            return sketch;
        }
        sketch.count = length / 8;
        sketch.exact = new long[Math.max(4, sketch.count)];
        ByteBuffer.wrap(bytes, start, length).asLongBuffer().get(sketch.exact, 0, sketch.count);
        return sketch;
    }

    long sizeInBytes() {
        return 48 + (registers != null ? REGISTERS : 8L * exact.length);
    }
}
