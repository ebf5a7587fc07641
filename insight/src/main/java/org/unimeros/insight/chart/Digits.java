package org.unimeros.insight.chart;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.List;
import java.util.Locale;

/**
 * How the numbers of a column are written: all with the same digits after the point, and no more of them than tell the values apart.
 *
 * @param after digits after the point; -1 for numbers that are written with a power of ten
 */
record Digits(int after) {

    /** Digits that a person compares. */
    private static final int SIGNIFICANT = 4;

    private static final int MOST_AFTER = 6;
    private static final double LARGEST = 1e15;
    private static final int POWER = -1;

    /** For these numbers, nulls among them. Whole numbers stay whole. */
    static Digits of(List<? extends Number> numbers) {
        double largest = 0;
        boolean areWhole = true;
        for (Number number : numbers) {
            double value = number == null ? 0 : number.doubleValue();
            if (Double.isNaN(value) || Double.isInfinite(value)) {
                continue;
            }
            largest = Math.max(largest, Math.abs(value));
            areWhole &= value == Math.rint(value);
        }
        boolean areExact = numbers.stream().allMatch(n -> n == null || n instanceof Long || n instanceof Integer);
        if (areExact || areWhole && largest < LARGEST) {
            return new Digits(0);
        }
        int before = (int) Math.floor(Math.log10(largest)) + 1;
        int after = Math.max(0, SIGNIFICANT - Math.max(before, 1) + (before < 1 ? -before : 0));
        return new Digits(largest >= LARGEST || after > MOST_AFTER ? POWER : after);
    }

    /** Any number; not a number and the infinite ones as words. */
    String write(Number number) {
        double value = number.doubleValue();
        if (Double.isNaN(value) || Double.isInfinite(value)) {
            return number.toString();
        }
        if (after == POWER) {
            return String.format(Locale.ROOT, "%.3e", value);
        }
        BigDecimal exact = number instanceof BigDecimal decimal
                ? decimal
                : number instanceof Double || number instanceof Float
                        ? BigDecimal.valueOf(value)
                        : BigDecimal.valueOf(number.longValue());
        return String.format(Locale.ROOT, "%,." + after + "f", exact.setScale(after, RoundingMode.HALF_UP));
    }
}
