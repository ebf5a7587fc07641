package org.unimeros.engine.expr;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.ListOf;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/** Functions of JSON held as text. Text that is not JSON has no values: they are null, and fail nothing. */
final class JsonFunctions {

    private static final Pattern STEP =
            Pattern.compile("\\.([\\p{L}_][\\p{L}\\p{N}_]*)|\\.\"((?:[^\"\\\\]|\\\\.)+)\"|\\[(\\d{1,9})]");

    private JsonFunctions() {}

    /** A step of a path: the field of an object, or the element of a list where the name is null. */
    private record PathStep(String name, int index) implements Serializable {}

    /** Reads something of the value that the parser stands on; null when there is nothing. */
    @FunctionalInterface
    private interface Reading extends Serializable {
        String read(JsonParser parser) throws IOException;
    }

    static void define(Functions.Table t) {
        t.define("json_value", 2, 2, args -> read("json_value", args, JsonFunctions::scalar));
        t.define("json_query", 2, 2, args -> read("json_query", args, JsonFunctions::compound));
        t.define("json_exists", 2, 2, JsonFunctions::exists);
        t.define(
                "json_length",
                1,
                1,
                args -> Operators.cast(
                        read("json_length", List.of(args.get(0), root()), JsonFunctions::length), DataType.INT, false));
        t.define("json_keys", 1, 1, JsonFunctions::keys);
        t.define("is_json", 1, 1, args -> {
            Kernel kernel = (columns, rows, nulls) -> {
                long[] out = Bits.make(rows);
                for (int i = 0; i < rows; i++) {
                    if (!Arithmetic.isNull(nulls, i) && isJson(((TextColumn) columns[0]).text(i))) {
                        Bits.set(out, i);
                    }
                }
                return new BooleanColumn(out, nulls);
            };
            return new Call(
                    ScalarFunction.call("is_json", kernel),
                    List.of(Functions.text(args.get(0), "is_json")),
                    DataType.BOOLEAN);
        });
        t.define("to_json", 1, 1, JsonFunctions::toJson);
        t.define("from_json", 2, 2, args -> fromJson("from_json", args, false));
        t.define("try_from_json", 2, 2, args -> fromJson("try_from_json", args, true));
    }

    private static Expression root() {
        return new Literal("$", DataType.TEXT);
    }

    private static List<PathStep> path(Expression e, String where) {
        String text = Functions.literal(e, where, "path");
        List<PathStep> steps = new ArrayList<>();
        Matcher matcher = STEP.matcher(text);
        int at = text.startsWith("$") ? 1 : -1;
        while (at >= 0 && at < text.length()) {
            if (!matcher.find(at) || matcher.start() != at) {
                at = -1;
                break;
            }
            String quoted = matcher.group(2);
            String name = quoted == null ? matcher.group(1) : quoted.replaceAll("\\\\(.)", "$1");
            steps.add(new PathStep(name, name == null ? Integer.parseInt(matcher.group(3)) : 0));
            at = matcher.end();
        }
        if (at < 0) {
            throw new UserMistake(where + ": '" + text + "' is not a path; write it as '$.events[0].depot', or"
                    + " '$.\"odd name\"'");
        }
        return steps;
    }

    /** Moves the parser to the value at a path; false when there is none. Of fields with one name the first counts. */
    private static boolean find(JsonParser parser, List<PathStep> path) throws IOException {
        parser.nextToken();
        for (PathStep step : path) {
            boolean found = step.name == null ? element(parser, step.index) : field(parser, step.name);
            if (!found) {
                return false;
            }
        }
        return parser.currentToken() != null;
    }

    private static boolean field(JsonParser parser, String name) throws IOException {
        if (parser.currentToken() != JsonToken.START_OBJECT) {
            return false;
        }
        for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
            parser.nextToken();
            if (field.equals(name)) {
                return true;
            }
            parser.skipChildren();
        }
        return false;
    }

    private static boolean element(JsonParser parser, int index) throws IOException {
        if (parser.currentToken() != JsonToken.START_ARRAY) {
            return false;
        }
        for (int i = 0; parser.nextToken() != JsonToken.END_ARRAY; i++) {
            if (i == index) {
                return true;
            }
            parser.skipChildren();
        }
        return false;
    }

    private static Optional<String> at(String text, List<PathStep> path, Reading reading) {
        try (JsonParser parser = JsonText.JSON.createParser(text)) {
            return find(parser, path) ? Optional.ofNullable(reading.read(parser)) : Optional.empty();
        } catch (JsonProcessingException e) {
            return Optional.empty();
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    private static boolean isJson(String text) {
        try (JsonParser parser = JsonText.JSON.createParser(text)) {
            if (parser.nextToken() == null) {
                return false;
            }
            parser.skipChildren();
            return parser.nextToken() == null;
        } catch (JsonProcessingException e) {
            return false;
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    private static String scalar(JsonParser parser) throws IOException {
        JsonToken token = parser.currentToken();
        return token == JsonToken.VALUE_NULL || !token.isScalarValue() ? null : parser.getText();
    }

    private static String compound(JsonParser parser) throws IOException {
        return parser.currentToken().isScalarValue() ? null : JsonText.copy(parser);
    }

    private static String length(JsonParser parser) throws IOException {
        JsonToken start = parser.currentToken();
        if (start.isScalarValue()) {
            return null;
        }
        int n = 0;
        boolean isObject = start == JsonToken.START_OBJECT;
        for (JsonToken token = parser.nextToken(); !token.isStructEnd(); token = parser.nextToken()) {
            if (isObject) {
                parser.nextToken();
            }
            parser.skipChildren();
            n++;
        }
        return Integer.toString(n);
    }

    private static Expression read(String name, List<Expression> args, Reading reading) {
        List<PathStep> path = path(args.get(1), name);
        Kernel kernel = (columns, rows, nulls) -> {
            TextColumn text = (TextColumn) columns[0];
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                Optional<String> found =
                        Arithmetic.isNull(nulls, i) ? Optional.empty() : at(text.text(i), path, reading);
                if (found.isPresent()) {
                    out.appendText(found.get());
                } else {
                    out.appendNull();
                }
            }
            return out.build();
        };
        return call(name, args, kernel, DataType.TEXT);
    }

    private static Expression call(String name, List<Expression> args, Kernel kernel, DataType type) {
        List<Expression> typed = new ArrayList<>(args);
        typed.set(0, Functions.text(args.get(0), name));
        return new Call(new ScalarFunction(name, ScalarFunction.Style.CALL, false, false, kernel), typed, type);
    }

    private static Expression exists(List<Expression> args) {
        List<PathStep> path = path(args.get(1), "json_exists");
        Kernel kernel = (columns, rows, nulls) -> {
            long[] out = Bits.make(rows);
            for (int i = 0; i < rows; i++) {
                if (!Arithmetic.isNull(nulls, i)
                        && at(((TextColumn) columns[0]).text(i), path, parser -> "")
                                .isPresent()) {
                    Bits.set(out, i);
                }
            }
            return new BooleanColumn(out, nulls);
        };
        return call("json_exists", args, kernel, DataType.BOOLEAN);
    }

    private static Expression keys(List<Expression> args) {
        Kernel kernel = (columns, rows, nulls) -> {
            ColumnBuilder out = ColumnBuilder.of(new ListOf(DataType.TEXT));
            for (int i = 0; i < rows; i++) {
                Optional<List<String>> names =
                        Arithmetic.isNull(nulls, i) ? Optional.empty() : names(((TextColumn) columns[0]).text(i));
                if (names.isPresent()) {
                    names.get().forEach(out.elements()::appendText);
                    out.endList();
                } else {
                    out.appendNull();
                }
            }
            return out.build();
        };
        return call("json_keys", args, kernel, new ListOf(DataType.TEXT));
    }

    private static Optional<List<String>> names(String text) {
        List<String> names = new ArrayList<>();
        Optional<String> isObject = at(text, List.of(), parser -> {
            if (parser.currentToken() != JsonToken.START_OBJECT) {
                return null;
            }
            for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
                names.add(field);
                parser.nextToken();
                parser.skipChildren();
            }
            return "";
        });
        return isObject.map(x -> names);
    }

    private static Expression toJson(List<Expression> args) {
        DataType type = args.get(0).type();
        Kernel kernel = (columns, rows, nulls) -> {
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                Column column = columns[0];
                out.appendText(
                        column.isNull(i) || type == DataType.NULL ? "" : JsonText.write(Values.get(column, i, type)));
            }
            return out.build().withNulls(nulls);
        };
        return new Call(ScalarFunction.call("to_json", kernel), args, DataType.TEXT);
    }

    private static Expression fromJson(String name, List<Expression> args, boolean orNull) {
        DataType type = DataType.parse(Functions.literal(args.get(1), name, "type"));
        Expression text = Functions.text(args.get(0), name);
        if (type instanceof ListOf || type instanceof DataType.Struct) {
            return Operators.cast(text, type, orNull);
        }
        throw new UserMistake(name + " needs a list or a struct as its type, but found " + type
                + "; use json_value(text, path) and cast");
    }
}
