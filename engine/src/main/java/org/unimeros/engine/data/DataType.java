package org.unimeros.engine.data;

import java.io.Serializable;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.stream.Collectors;
import org.unimeros.engine.error.UserMistake;

/** The type of a column or expression. Every type admits null. */
public sealed interface DataType extends Serializable {

    DataType BOOLEAN = Simple.BOOLEAN;
    DataType INT = Simple.INT;
    DataType LONG = Simple.LONG;
    DataType FLOAT = Simple.FLOAT;
    DataType DOUBLE = Simple.DOUBLE;
    DataType TEXT = Simple.TEXT;
    DataType BYTES = Simple.BYTES;
    DataType DATE = Simple.DATE;
    DataType TIME = Simple.TIME;
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
        /** IEEE 754, 32 bits; held in memory as the double of the same value. */
        FLOAT,
        /** IEEE 754, 64 bits. */
        DOUBLE,
        /** Unicode text, ordered by its UTF-8 bytes. */
        TEXT,
        /** Bytes without a meaning, ordered as unsigned numbers. */
        BYTES,
        /** Days, held as days since 1970-01-01. */
        DATE,
        /** A time of day without a zone, held as microseconds since midnight. */
        TIME,
        /** An instant, held as microseconds since 1970-01-01T00:00:00Z. */
        TIMESTAMP,
        NULL;

        @Override
        public Physical physical() {
            return switch (this) {
                case BOOLEAN, NULL -> Physical.BITS;
                case INT, DATE -> Physical.INTS;
                case LONG, TIMESTAMP, TIME -> Physical.LONGS;
                case FLOAT, DOUBLE -> Physical.DOUBLES;
                case TEXT, BYTES -> Physical.BYTES;
            };
        }

        @Override
        public boolean isNumeric() {
            return this == INT || this == LONG || isFloating();
        }

        @Override
        public boolean isFloating() {
            return this == FLOAT || this == DOUBLE;
        }

        @Override
        public String toString() {
            return name().toLowerCase(Locale.ROOT);
        }
    }

    /** An exact decimal number, held as a scaled long, or in 128 bits where it has more digits than a long. */
    record Decimal(int precision, int scale) implements DataType {

        /** The most digits that a decimal can have. */
        public static final int MAX_PRECISION = 38;

        /** The most digits of one that is held as a long. */
        public static final int LONG_PRECISION = 18;

        public Decimal {
            if (precision < 1 || precision > MAX_PRECISION || scale < 0 || scale > precision) {
                throw new UserMistake("decimal(" + precision + ", " + scale + ") is not supported: precision is 1 to "
                        + MAX_PRECISION + " digits, scale 0 to precision");
            }
        }

        /** Whether it is held in 128 bits. */
        public boolean isWide() {
            return precision > LONG_PRECISION;
        }

        @Override
        public Physical physical() {
            return isWide() ? Physical.WIDE : Physical.LONGS;
        }

        @Override
        public boolean isNumeric() {
            return true;
        }

        @Override
        public boolean isFloating() {
            return false;
        }

        @Override
        public String toString() {
            return "decimal(" + precision + ", " + scale + ")";
        }
    }

    /** A list of values of one type, each of which can be null. */
    record ListOf(DataType element) implements DataType {
        @Override
        public Physical physical() {
            return Physical.LIST;
        }

        @Override
        public boolean isNumeric() {
            return false;
        }

        @Override
        public boolean isFloating() {
            return false;
        }

        @Override
        public String toString() {
            return element + "[]";
        }
    }

    /** Named values of different types. Names differ without regard to case. */
    record Struct(List<Part> parts) implements DataType {

        /** A named value of a struct. */
        public record Part(String name, DataType type) implements Serializable {}

        public Struct {
            parts = List.copyOf(parts);
            Set<String> names = new HashSet<>();
            for (Part part : parts) {
                if (!names.add(part.name().toLowerCase(Locale.ROOT))) {
                    throw new UserMistake("a struct needs different field names, but " + part.name() + " occurs twice");
                }
            }
            if (parts.isEmpty()) {
                throw new UserMistake("a struct needs at least one field, as in: struct(depot text, scans int)");
            }
        }

        /** The number of the field with this name, in any case; -1 when there is none. */
        public int indexOf(String name) {
            for (int i = 0; i < parts.size(); i++) {
                if (parts.get(i).name().equalsIgnoreCase(name)) {
                    return i;
                }
            }
            return -1;
        }

        public List<String> names() {
            return parts.stream().map(Part::name).toList();
        }

        @Override
        public Physical physical() {
            return Physical.STRUCT;
        }

        @Override
        public boolean isNumeric() {
            return false;
        }

        @Override
        public boolean isFloating() {
            return false;
        }

        @Override
        public String toString() {
            return parts.stream()
                    .map(p -> TypeText.quoted(p.name()) + " " + p.type())
                    .collect(Collectors.joining(", ", "struct(", ")"));
        }
    }

    /** How values of a type are held in memory. */
    enum Physical {
        BITS,
        INTS,
        LONGS,
        DOUBLES,
        BYTES,
        /** 128 bits in two longs. */
        WIDE,
        LIST,
        STRUCT
    }

    // These are not default methods, since then a class that is used before this interface would see its constants
    // empty.

    /** The physical form of this type's columns. */
    Physical physical();

    /** Whether arithmetic is defined on this type. */
    boolean isNumeric();

    /** Whether its values are approximate. */
    boolean isFloating();

    /**
     * Reads a type from its SQL name, such as {@code int}, {@code decimal(10, 2)}, {@code varchar}, {@code int[]} or
     * {@code struct(depot text, scans int)}.
     *
     * @throws UserMistake when it is none, with near names
     */
    static DataType parse(String text) {
        return TypeText.parse(text);
    }
}
