package org.unimeros.engine.data;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonFactoryBuilder;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import com.fasterxml.jackson.core.StreamReadConstraints;
import java.io.IOException;
import java.io.StringWriter;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Values as JSON: lists as arrays, structs as objects, numbers and truth values as themselves, everything else as text
 * in quotes. For single values and for reading nested ones; not for hot paths.
 */
public final class JsonText {

    /** Characters of a text or a name; a line of a file has no more bytes. */
    private static final int LONGEST = 1 << 28;

    private static final int LONGEST_NUMBER = 100_000;

    /** Where parsers and generators come from. */
    public static final JsonFactory JSON = new JsonFactoryBuilder()
            .streamReadConstraints(StreamReadConstraints.builder()
                    .maxStringLength(LONGEST)
                    .maxNameLength(LONGEST)
                    .maxNumberLength(LONGEST_NUMBER)
                    .build())
            .build();

    private JsonText() {}

    /** A value as {@link Values#get} returns it, as JSON text. */
    public static String write(Object value) {
        StringWriter out = new StringWriter();
        try (JsonGenerator generator = JSON.createGenerator(out)) {
            write(value, generator);
        } catch (IOException e) {
            throw new IllegalStateException("writing to memory failed", e);
        }
        return out.toString();
    }

    /** Writes a value as {@link Values#get} returns it. */
    public static void write(Object value, JsonGenerator out) throws IOException {
        switch (value) {
            case null -> out.writeNull();
            case Boolean b -> out.writeBoolean(b);
            case Integer i -> out.writeNumber(i);
            case Long l -> out.writeNumber(l);
            case BigDecimal d -> out.writeNumber(d.toPlainString());
            case Float f -> number(f.doubleValue(), f.toString(), out);
            case Double d -> number(d, d.toString(), out);
            case List<?> list -> {
                out.writeStartArray();
                for (Object element : list) {
                    write(element, out);
                }
                out.writeEndArray();
            }
            case Map<?, ?> struct -> {
                out.writeStartObject();
                for (Map.Entry<?, ?> field : struct.entrySet()) {
                    out.writeFieldName((String) field.getKey());
                    write(field.getValue(), out);
                }
                out.writeEndObject();
            }
            default -> out.writeString(Values.text(value));
        }
    }

    /** JSON has no numbers beyond the finite ones. */
    private static void number(double value, String text, JsonGenerator out) throws IOException {
        if (Double.isFinite(value)) {
            out.writeNumber(text);
        } else {
            out.writeString(text);
        }
    }

    /**
     * The value that JSON text means in a type, as {@link Values#get} returns it.
     *
     * @throws NumberFormatException when it means none
     */
    static Object read(String text, DataType type) {
        try (JsonParser parser = JSON.createParser(text)) {
            parser.nextToken();
            Object value = read(parser, type);
            if (value == null || parser.nextToken() != null) {
                throw new NumberFormatException("not one value");
            }
            return value;
        } catch (JsonProcessingException e) {
            throw misfit(e.getOriginalMessage(), e);
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    private static NumberFormatException misfit(String message, Exception cause) {
        NumberFormatException misfit = new NumberFormatException(message);
        misfit.initCause(cause);
        return misfit;
    }

    /**
     * The value that the parser stands on, in a type; null for a JSON null. Afterwards the parser stands on its last
     * token. Fields of objects that a struct does not have are passed over, those that are missing are null.
     *
     * @throws NumberFormatException when the value does not fit
     */
    public static Object read(JsonParser parser, DataType type) throws IOException {
        JsonToken token = parser.currentToken();
        if (token == JsonToken.VALUE_NULL) {
            return null;
        }
        if (type instanceof DataType.ListOf list && token == JsonToken.START_ARRAY) {
            List<Object> values = new ArrayList<>();
            while (parser.nextToken() != JsonToken.END_ARRAY) {
                values.add(read(parser, list.element()));
            }
            return values;
        }
        if (type instanceof DataType.Struct struct && token == JsonToken.START_OBJECT) {
            return object(parser, struct);
        }
        if (type == DataType.TEXT && token != null) {
            return token.isScalarValue() ? parser.getText() : copy(parser);
        }
        boolean nested = type instanceof DataType.ListOf || type instanceof DataType.Struct;
        boolean fits = token == JsonToken.VALUE_STRING
                || token != null && token.isNumeric() && type.isNumeric()
                || token != null && token.isBoolean() && type == DataType.BOOLEAN;
        if (nested || !fits) {
            throw new NumberFormatException(shown(parser) + " is not a value of type " + type);
        }
        String text = parser.getText();
        return Parse.value(text, type)
                .orElseThrow(() -> new NumberFormatException(text + " is not a value of type " + type));
    }

    private static String shown(JsonParser parser) throws IOException {
        JsonToken token = parser.currentToken();
        return token == null ? "nothing" : token.isScalarValue() ? parser.getText() : token.asString() + "…";
    }

    private static Map<String, Object> object(JsonParser parser, DataType.Struct type) throws IOException {
        Map<String, Object> values = new LinkedHashMap<>();
        type.names().forEach(name -> values.put(name, null));
        for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
            parser.nextToken();
            int index = type.indexOf(field);
            if (index < 0) {
                parser.skipChildren();
            } else {
                DataType.Struct.Part part = type.parts().get(index);
                values.put(part.name(), read(parser, part.type()));
            }
        }
        return values;
    }

    /** The object or list that the parser stands on, as JSON text. */
    public static String copy(JsonParser parser) throws IOException {
        StringWriter out = new StringWriter();
        try (JsonGenerator generator = JSON.createGenerator(out)) {
            generator.copyCurrentStructure(parser);
        }
        return out.toString();
    }
}
