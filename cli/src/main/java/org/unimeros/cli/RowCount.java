package org.unimeros.cli;

import java.util.Locale;
import picocli.CommandLine.ITypeConverter;
import picocli.CommandLine.TypeConversionException;

/** Reads numbers of rows such as 10k, 1m and 1g. */
final class RowCount implements ITypeConverter<Long> {

    @Override
    public Long convert(String text) {
        String low = text.strip().toLowerCase(Locale.ROOT);
        long unit = switch (low.isEmpty() ? ' ' : low.charAt(low.length() - 1)) {
            case 'k' -> 1_000L;
            case 'm' -> 1_000_000L;
            case 'g' -> 1_000_000_000L;
            default -> 1L;
        };
        String number = unit == 1 ? low : low.substring(0, low.length() - 1);
        try {
            return Math.multiplyExact(Long.parseLong(number), unit);
        } catch (NumberFormatException | ArithmeticException e) {
            throw new TypeConversionException("'" + text + "' is not a number of rows such as 10k, 1m or 1g");
        }
    }
}
