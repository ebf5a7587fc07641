package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.Locale;
import java.util.Optional;

/** Reads single values from text. The rules are the same for casts, literals, files and folder names. */
public final class Parse {

    private Parse() {}

    /**
     * The value that a text means in a type, as {@link Values#get} would return it; empty when it means none. Blanks
     * around numbers, dates and truth values are ignored.
     */
    public static Optional<Object> value(String text, DataType type) {
        try {
            return Optional.of(require(text, type));
        } catch (NumberFormatException | DateTimeException | ArithmeticException e) {
            return Optional.empty();
        }
    }

    private static Object require(String text, DataType type) {
        String bare = text.strip();
        return switch (type) {
            case DataType.Simple.TEXT -> text;
            case DataType.Simple.INT -> Integer.parseInt(bare);
            case DataType.Simple.LONG -> Long.parseLong(bare);
            case DataType.Simple.DOUBLE -> number(bare);
            case DataType.Simple.FLOAT -> single(number(bare));
            case DataType.Decimal d -> decimal(new BigDecimal(bare), d);
            case DataType.Simple.BOOLEAN -> truth(bare);
            case DataType.Simple.DATE -> LocalDate.parse(bare);
            case DataType.Simple.TIMESTAMP -> timestamp(bare);
            case DataType.Simple.TIME -> LocalTime.parse(bare).truncatedTo(ChronoUnit.MICROS);
            case DataType.Simple.BYTES ->
                Bytes.ofHex(bare).orElseThrow(() -> new NumberFormatException("not hexadecimal digits"));
            case DataType.ListOf l -> JsonText.read(text, l);
            case DataType.Struct s -> JsonText.read(text, s);
            case DataType.Simple.NULL -> throw new NumberFormatException("a null has no text");
        };
    }

    /** Rounds to the scale of a type (half up); fails when the digits before the point do not fit. */
    public static BigDecimal decimal(BigDecimal value, DataType.Decimal type) {
        // Numbers such as 1e999999999 are looked at before they are written out.
        long before = (long) value.precision() - value.scale();
        if (value.signum() == 0 || before < -type.scale()) {
            return BigDecimal.ZERO.setScale(type.scale());
        }
        if (before > type.precision()) {
            throw new ArithmeticException("too many digits for " + type);
        }
        BigDecimal scaled = value.setScale(type.scale(), RoundingMode.HALF_UP);
        if (scaled.precision() > type.precision()) {
            throw new ArithmeticException(value + " has too many digits for " + type);
        }
        return scaled;
    }

    /** The nearest value of 32 bits; fails when there is no finite one. */
    public static float single(double value) {
        float single = (float) value;
        if (Float.isInfinite(single) && !Double.isInfinite(value)) {
            throw new ArithmeticException(value + " is out of range for float");
        }
        return single;
    }

    private static double number(String text) {
        char last = text.isEmpty() ? ' ' : text.charAt(text.length() - 1);
        if (last == 'd' || last == 'f' || last == 'D' || last == 'F') {
            throw new NumberFormatException(text);
        }
        return switch (text.toLowerCase(Locale.ROOT)) {
            case "nan" -> Double.NaN;
            case "inf", "infinity", "+infinity" -> Double.POSITIVE_INFINITY;
            case "-inf", "-infinity" -> Double.NEGATIVE_INFINITY;
            default -> finite(text);
        };
    }

    /** A number that is too large is not taken for infinity, which is written by its name. */
    private static double finite(String text) {
        double value = Double.parseDouble(text);
        if (Double.isInfinite(value)) {
            throw new NumberFormatException(text + " is out of range for double");
        }
        return value;
    }

    private static boolean truth(String text) {
        return switch (text.toLowerCase(Locale.ROOT)) {
            case "true", "t", "yes", "1" -> true;
            case "false", "f", "no", "0" -> false;
            default -> throw new NumberFormatException(text);
        };
    }

    /** ISO 8601 with a blank or T between date and time, seconds optional; without an offset it is taken as UTC. */
    private static Instant timestamp(String text) {
        byte[] utf8 = text.getBytes(UTF_8);
        long micros = IsoText.timestamp(utf8, 0, utf8.length);
        if (micros != IsoText.UNKNOWN) {
            return Values.instant(micros);
        }
        if (text.length() <= 10) {
            return LocalDate.parse(text).atStartOfDay(ZoneOffset.UTC).toInstant();
        }
        String iso = text.charAt(10) == ' ' ? text.substring(0, 10) + 'T' + text.substring(11) : text;
        boolean hasOffset = iso.endsWith("Z") || iso.indexOf('+', 11) > 0 || iso.indexOf('-', 11) > 0;
        Instant instant = hasOffset
                ? OffsetDateTime.parse(iso).toInstant()
                : LocalDateTime.parse(iso).toInstant(ZoneOffset.UTC);
        return Values.instant(Values.micros(instant));
    }
}
