package org.unimeros.engine.data;

import java.util.List;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.error.Near;
import org.unimeros.engine.error.UserMistake;

/** The type of a column or expression. Every type admits null. */
public sealed interface DataType {

    DataType BOOLEAN = Simple.BOOLEAN;
    DataType INT = Simple.INT;
    DataType LONG = Simple.LONG;
    DataType DOUBLE = Simple.DOUBLE;
    DataType TEXT = Simple.TEXT;
    DataType DATE = Simple.DATE;
    DataType TIMESTAMP = Simple.TIMESTAMP;
    /** The type of a bare {@code null}; it fits every other type. */
    DataType NULL = Simple.NULL;

    /** Types without parameters. */
    enum Simple implements DataType {
        BOOLEAN,
        /** 32 bits, signed. */
        INT,
        /** 64 bits, signed. */
        LONG,
        /** IEEE 754, 64 bits. */
        DOUBLE,
        /** Unicode text, ordered by its UTF-8 bytes. */
        TEXT,
        /** Days, held as days since 1970-01-01. */
        DATE,
        /** An instant, held as microseconds since 1970-01-01T00:00:00Z. */
        TIMESTAMP,
        NULL;

        @Override
        public String toString() {
            return name().toLowerCase(Locale.ROOT);
        }
    }

    /** An exact decimal number, held as a scaled long. */
    record Decimal(int precision, int scale) implements DataType {

        /** The most digits that a decimal can have. */
        public static final int MAX_PRECISION = 18;

        public Decimal {
            if (precision < 1 || precision > MAX_PRECISION || scale < 0 || scale > precision) {
                throw new UserMistake("decimal(" + precision + ", " + scale + ") is not supported: precision is 1 to "
                        + MAX_PRECISION + " digits, scale 0 to precision");
            }
        }

        @Override
        public String toString() {
            return "decimal(" + precision + ", " + scale + ")";
        }
    }

    /** How values of a type are held in memory. */
    enum Physical {
        BITS,
        INTS,
        LONGS,
        DOUBLES,
        BYTES
    }

    /** The physical form of this type's columns. */
    default Physical physical() {
        return switch (this) {
            case Simple.BOOLEAN, Simple.NULL -> Physical.BITS;
            case Simple.INT, Simple.DATE -> Physical.INTS;
            case Simple.LONG, Simple.TIMESTAMP -> Physical.LONGS;
            case Decimal d -> Physical.LONGS;
            case Simple.DOUBLE -> Physical.DOUBLES;
            case Simple.TEXT -> Physical.BYTES;
        };
    }

    /** Whether arithmetic is defined on this type. */
    default boolean isNumeric() {
        return this == INT || this == LONG || this == DOUBLE || this instanceof Decimal;
    }

    /** Reads a type from its SQL name, such as {@code int}, {@code decimal(10, 2)}, {@code varchar}. */
    static DataType parse(String text) {
        String name = text.trim().toLowerCase(Locale.ROOT).replaceAll("\\s+", " ");
        Matcher decimal = DECIMAL.matcher(name);
        if (decimal.matches()) {
            String scale = decimal.group(2);
            return new Decimal(Integer.parseInt(decimal.group(1)), scale == null ? 0 : Integer.parseInt(scale));
        }
        return switch (name.replaceAll("\\s*\\([0-9 ]+\\)$", "")) {
            case "boolean", "bool" -> BOOLEAN;
            case "int", "integer" -> INT;
            case "long", "bigint" -> LONG;
            case "double", "double precision", "float" -> DOUBLE;
            case "text", "varchar", "char", "character varying" -> TEXT;
            case "date" -> DATE;
            case "timestamp", "timestamp with time zone" -> TIMESTAMP;
            case "decimal", "numeric" -> new Decimal(Decimal.MAX_PRECISION, 4);
            default -> throw new UserMistake("unknown type " + text.trim() + Near.hint(name, NAMES));
        };
    }

    /** {@code decimal(p)} or {@code decimal(p, s)}. */
    Pattern DECIMAL = Pattern.compile("(?:decimal|numeric)\\s*\\(\\s*(\\d{1,3})\\s*(?:,\\s*(\\d{1,3})\\s*)?\\)");

    /** The names that messages propose. */
    List<String> NAMES = List.of("boolean", "int", "long", "double", "decimal(p, s)", "text", "date", "timestamp");
}
