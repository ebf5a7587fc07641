package org.unimeros.storage.format.json;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Consumer;
import org.unimeros.engine.data.DataType;
import org.unimeros.storage.format.Notation;
import org.unimeros.storage.format.TypeGuess;

/**
 * The type that samples of a value suggest. Objects become structs and lists lists; where some samples are nested and
 * others are not, and where objects have names as different as keys of a map, the value is text.
 */
final class JsonGuess {

    private static final int MOST_FIELDS = 300;

    private final Notation notation;
    private final TypeGuess plain = new TypeGuess();
    private final Map<String, JsonGuess> fields = new LinkedHashMap<>();
    private JsonGuess element;
    private boolean isObject;

    JsonGuess(Notation notation) {
        this.notation = notation;
    }

    /** Adds the value that the parser stands on, and leaves it on its last token. */
    void add(JsonParser parser) throws IOException {
        JsonToken token = parser.currentToken();
        switch (token) {
            case START_OBJECT -> {
                isObject = true;
                addFields(parser);
            }
            case START_ARRAY -> {
                element = element == null ? new JsonGuess(notation) : element;
                while (parser.nextToken() != JsonToken.END_ARRAY) {
                    element.add(parser);
                }
            }
            case VALUE_TRUE, VALUE_FALSE -> plain.add(DataType.BOOLEAN);
            case VALUE_NUMBER_FLOAT -> plain.add(DataType.DOUBLE);
            case VALUE_NUMBER_INT -> plain.add(wholeNumber(parser));
            case VALUE_NULL -> {
                // says nothing about the type
            }
            default -> plain.add(textOrTime(parser.getText()));
        }
    }

    /** Adds the fields of the object that the parser stands on. */
    void addFields(JsonParser parser) throws IOException {
        for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
            parser.nextToken();
            fields.computeIfAbsent(field, name -> new JsonGuess(notation)).add(parser);
        }
    }

    Map<String, JsonGuess> fields() {
        return fields;
    }

    private static DataType wholeNumber(JsonParser parser) throws IOException {
        return switch (parser.getNumberType()) {
            case INT -> DataType.INT;
            case LONG -> DataType.LONG;
            default -> DataType.DOUBLE;
        };
    }

    /** Text stays text even when it looks like a number; only dates and timestamps have no form of their own in JSON. */
    private DataType textOrTime(String value) {
        TypeGuess guess = new TypeGuess();
        guess.addText(notation.guessed(value));
        DataType type = guess.type();
        return type == DataType.DATE || type == DataType.TIMESTAMP ? type : DataType.TEXT;
    }

    DataType type() {
        boolean isList = element != null;
        if (plain.isKnown() || isList == isObject) {
            return isList || isObject ? DataType.TEXT : plain.type();
        }
        return isList ? new DataType.ListOf(element.type()) : struct();
    }

    private DataType struct() {
        List<DataType.Struct.Part> parts = fields.entrySet().stream()
                .map(f -> new DataType.Struct.Part(f.getKey(), f.getValue().type()))
                .toList();
        long names = fields.keySet().stream()
                .map(f -> f.toLowerCase(Locale.ROOT))
                .distinct()
                .count();
        boolean usable = !parts.isEmpty() && parts.size() <= MOST_FIELDS && names == parts.size();
        return usable ? new DataType.Struct(parts) : DataType.TEXT;
    }

    /** Calls with a remark for each value inside that is odd in a few samples. */
    void remark(String name, Consumer<String> to) {
        plain.remark(name).ifPresent(to);
        fields.forEach((field, guess) -> guess.remark(name + "." + field, to));
        if (element != null) {
            element.remark(name, to);
        }
    }
}
