package org.unimeros.storage.format.json;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.DataType;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Lenient;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.ReadRows;
import org.unimeros.storage.store.StorePath;

/** Types of nested values, and records in which something inside does not fit. */
class NestedJsonTest {

    @TempDir
    Path folder;

    private final JsonLinesFormat format = new JsonLinesFormat();

    private DataFile file(String... lines) throws IOException {
        Path path = folder.resolve("data.jsonl");
        Files.writeString(path, String.join("\n", lines) + "\n");
        return new DataFile(StorePath.of(path), Files.size(path), System.nanoTime());
    }

    private String types(String... lines) throws IOException {
        Format.Inferred inferred = format.infer(List.of(file(lines)), FormatOptions.DEFAULTS);
        return inferred.columns().stream()
                .map(c -> c.name() + " " + c.type())
                .toList()
                .toString();
    }

    @Test
    void typesFollowFromAllSamples() throws IOException {
        assertEquals("[a int[], b text[]]", types("{\"a\": [1, 2], \"b\": []}", "{\"a\": [], \"b\": null}"));
        assertEquals("[a double[]]", types("{\"a\": [1]}", "{\"a\": [2.5, null]}"));
        assertEquals("[a date[]]", types("{\"a\": [\"2031-03-04\"]}"));
        assertEquals("[a int[][]]", types("{\"a\": [[], [1]]}", "{\"a\": []}"));
        assertEquals(
                "[a struct(x int, y text, z struct(q boolean))]",
                types("{\"a\": {\"x\": 1}}", "{\"a\": {\"y\": \"p\", \"z\": {\"q\": true}}}", "{\"a\": null}"));
        assertEquals("[a struct(x int, y text[])[]]", types("{\"a\": [{\"x\": 1}, {\"y\": []}]}"));
        assertEquals("[a text]", types("{\"a\": [1]}", "{\"a\": {\"x\": 1}}"), "a list and an object");
        assertEquals("[a text]", types("{\"a\": [1]}", "{\"a\": 1}"), "a list and a number");
        assertEquals("[a text]", types("{\"a\": {}}"), "an object without fields");
        assertEquals("[a text]", types("{\"a\": {\"x\": 1, \"X\": 2}}"), "names that differ by case only");
        assertEquals("[a int]", types("{\"a\": 1}", "{\"a\": [}"), "a broken line says nothing");
    }

    @Test
    void objectsWithNamesLikeKeysAreText() throws IOException {
        StringBuilder object = new StringBuilder("{\"a\": {\"k\": 0");
        for (int i = 0; i < 400; i++) {
            object.append(", \"key ").append(i).append("\": ").append(i);
        }
        assertEquals("[a text]", types(object.append("}}").toString()));
    }

    @Test
    void suspiciousValuesInsideAreRemarkedWithTheirPlace() throws IOException {
        List<String> lines = new ArrayList<>();
        for (int i = 0; i < 50; i++) {
            lines.add("{\"stops\": [{\"minutes\": " + (i == 7 ? "\"soon\"" : i) + "}]}");
        }
        Format.Inferred inferred = format.infer(List.of(file(lines.toArray(String[]::new))), FormatOptions.DEFAULTS);
        assertEquals("struct(minutes text)[]", inferred.columns().get(0).type().toString());
        assertTrue(
                inferred.warnings().get(0).startsWith("column stops.minutes is read as text, because it is int"),
                inferred.warnings().toString());
    }

    private List<Object> read(DataFile file, String type, Lenient context) {
        ColumnSpec column = ColumnSpec.of("a", DataType.parse(type));
        return ReadRows.of(format, Piece.whole(file), List.of(column), FormatOptions.DEFAULTS, context).stream()
                .map(row -> row.get(0))
                .toList();
    }

    /** What was read of a bad record before its mistake must not show in those around it. */
    @Test
    void aBadValueDeepInsideLeavesItsRecordOutAndNoOther() throws IOException {
        DataFile file = file(
                "{\"a\": [{\"n\": [1, 2], \"t\": \"x\"}, {\"n\": [3]}]}",
                "{\"a\": [{\"n\": [4, 5], \"t\": \"y\"}, {\"n\": [6, \"seven\"]}]}",
                "{\"a\": [{\"n\": 8}]}",
                "{\"a\": [{\"n\": [9], \"t\": \"z\"}",
                "{\"a\": 10}",
                "{\"a\": [{\"n\": [99999999999]}]}",
                "{\"a\": null}",
                "{\"a\": [{\"t\": 11, \"n\": [], \"t\": 12, \"other\": [{}]}, null]}");
        Lenient context = new Lenient();
        List<Object> values = read(file, "struct(n int[], t text)[]", context);
        assertEquals("[[{n=[1, 2], t=x}, {n=[3], t=null}], null, [{n=[], t=11}, null]]", values.toString());
        String whole = "column a is struct(n int[], t text)[]";
        List<String> told = context.told(file);
        assertEquals(
                List.of(
                        "2: " + whole + " with int inside, but the value is 'seven'",
                        "3: " + whole + " with int[] inside, but the value is 8",
                        "4: broken JSON at column 28: Unexpected end-of-input: expected close marker for Array",
                        "5: " + whole + ", but the value is 10",
                        "6: " + whole + " with int inside, but the value is 99999999999"),
                told);
    }

    @Test
    void nestedValuesAreTextWhereTextIsWanted() throws IOException {
        DataFile file = file("{\"a\": {\"x\": [1, {\"y\": null}]}}", "{\"a\": [1, 2]}", "{\"a\": 3.50}");
        assertEquals(
                "[{\"x\":[1,{\"y\":null}]}, [1,2], 3.50]",
                read(file, "text", new Lenient()).toString());
    }
}
