package org.unimeros.engine.data;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.DataType.ListOf;
import org.unimeros.engine.data.DataType.Struct;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/** Reads the names of types. */
final class TypeText {

    private static final List<String> NAMES = List.of(
            "boolean",
            "int",
            "long",
            "float",
            "double",
            "decimal(p, s)",
            "text",
            "bytes",
            "date",
            "time",
            "timestamp",
            "int[]",
            "struct(name type, …)");

    private static final Pattern TOKEN = Pattern.compile("\"(?:[^\"]|\"\")+\"|[\\p{L}_][\\p{L}\\p{N}_$-]*|\\d+|\\S");
    private static final Pattern PLAIN_NAME = Pattern.compile("[\\p{L}_][\\p{L}\\p{N}_]*");
    private static final int DEFAULT_SCALE = 4;

    private final String text;
    private final List<String> tokens = new ArrayList<>();
    private int at;

    private TypeText(String text) {
        this.text = text.trim();
        Matcher matcher = TOKEN.matcher(text);
        while (matcher.find()) {
            tokens.add(matcher.group());
        }
    }

    static DataType parse(String text) {
        TypeText reader = new TypeText(text);
        DataType type = reader.type();
        if (reader.at < reader.tokens.size()) {
            throw reader.unknown();
        }
        return type;
    }

    /** A field name as a type shows it. */
    static String quoted(String name) {
        return PLAIN_NAME.matcher(name).matches() ? name : '"' + name.replace("\"", "\"\"") + '"';
    }

    private UserMistake unknown() {
        return new UserMistake("unknown type " + text
                + NameSuggestions.hint(text.toLowerCase(Locale.ROOT).replaceAll("\\s+", " "), NAMES));
    }

    private String peek() {
        return at < tokens.size() ? tokens.get(at) : "";
    }

    private boolean take(String token) {
        boolean found = peek().equalsIgnoreCase(token);
        at += found ? 1 : 0;
        return found;
    }

    private void require(String token) {
        if (!take(token)) {
            throw unknown();
        }
    }

    private DataType type() {
        DataType type = base(peek().toLowerCase(Locale.ROOT));
        while (true) {
            if (take("[")) {
                require("]");
            } else if (!take("array")) {
                return type;
            }
            type = new ListOf(type);
        }
    }

    private DataType base(String name) {
        at++;
        switch (name) {
            case "list", "array":
                require("(");
                DataType element = type();
                require(")");
                return new ListOf(element);
            case "struct", "row":
                return struct();
            case "decimal", "numeric":
                return decimal();
            case "double":
                take("precision");
                return DataType.DOUBLE;
            case "character":
                take("varying");
                skipLength();
                return DataType.TEXT;
            case "timestamp":
                skipLength();
                zone();
                return DataType.TIMESTAMP;
            case "time":
                skipLength();
                return DataType.TIME;
            default:
                DataType simple = simple(name);
                skipLength();
                return simple;
        }
    }

    private DataType simple(String name) {
        return switch (name) {
            case "boolean", "bool" -> DataType.BOOLEAN;
            case "int", "integer", "smallint" -> DataType.INT;
            case "long", "bigint" -> DataType.LONG;
            case "float", "real" -> DataType.FLOAT;
            case "text", "varchar", "char" -> DataType.TEXT;
            case "bytes", "binary", "varbinary", "blob" -> DataType.BYTES;
            case "date" -> DataType.DATE;
            default -> throw unknown();
        };
    }

    /** A timestamp is an instant with or without these words. */
    private void zone() {
        if (take("with") || take("without")) {
            require("time");
            require("zone");
        }
    }

    private void skipLength() {
        if (take("(")) {
            number();
            require(")");
        }
    }

    private int number() {
        String digits = peek();
        if (digits.isEmpty() || digits.length() > 9 || !digits.chars().allMatch(Character::isDigit)) {
            throw unknown();
        }
        at++;
        return Integer.parseInt(digits);
    }

    private DataType decimal() {
        if (!take("(")) {
            return new Decimal(Decimal.LONG_PRECISION, DEFAULT_SCALE);
        }
        int precision = number();
        int scale = take(",") ? number() : 0;
        require(")");
        return new Decimal(precision, scale);
    }

    private DataType struct() {
        require("(");
        List<Struct.Part> parts = new ArrayList<>();
        do {
            String name = peek();
            if (name.length() == 1 && !Character.isLetter(name.charAt(0)) && !name.equals("_")) {
                throw unknown();
            }
            at++;
            boolean isQuoted = name.startsWith("\"");
            String bare = isQuoted ? name.substring(1, name.length() - 1).replace("\"\"", "\"") : name;
            take(":");
            parts.add(new Struct.Part(bare, type()));
        } while (take(","));
        require(")");
        return new Struct(parts);
    }
}
