package org.unimeros.storage.format;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.store.StorePath;

/** Files that are not as they should be: one clear line, the right place, and the rest still read where that is wanted. */
class BadInputTest {

    @TempDir
    Path folder;

    private final Formats formats = new Formats();

    private DataFile file(String name, byte[] bytes) throws IOException {
        Path path = folder.resolve(name);
        Files.write(path, bytes);
        return new DataFile(StorePath.of(path), bytes.length, System.nanoTime());
    }

    private DataFile file(String name, String text) throws IOException {
        return file(name, text.getBytes(UTF_8));
    }

    private int rows(String format, Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        int rows = 0;
        try (BatchReader reader = formats.byName(format).read(piece, columns, options, context)) {
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                rows += batch.rowCount();
            }
        }
        return rows;
    }

    private static List<ColumnSpec> idAndKind() {
        return List.of(ColumnSpec.of("id", DataType.INT), ColumnSpec.of("kind", DataType.TEXT));
    }

    @Test
    void brokenJsonLinesAreNamedByLineAndKeptAsTheyStand() throws IOException {
        DataFile file = file(
                "a.jsonl",
                "{\"id\":1,\"kind\":\"x\"}\n\n{\"id\":2,\"ki\n{\"id\":\"three\"}\n[4]\n{\"id\":5} {\"id\":6}\n{\"id\":99999999999}\n"
                        + "{\"id\":7,\"kind\":{\"a\":[1,null]},\"id\":8}");
        Lenient context = new Lenient();
        assertEquals(2, rows("json", Piece.whole(file), idAndKind(), FormatOptions.DEFAULTS, context));
        assertEquals(5, context.problems.size());
        assertTrue(context.problems.get(0).startsWith(file + ":3: broken JSON"), context.problems.get(0));
        assertTrue(
                context.problems.get(1).contains(":4: column id is int, but the value is 'three'"),
                context.problems.get(1));
        assertTrue(context.problems.get(2).contains(":5: expected a JSON object"), context.problems.get(2));
        assertTrue(context.problems.get(3).contains(":6: expected one JSON object per line"), context.problems.get(3));
        assertTrue(context.problems.get(4).contains("the value is 99999999999"), context.problems.get(4));
        assertEquals("{\"id\":2,\"ki", context.raw.get(0));
        assertThrows(
                BadData.class,
                () -> rows("json", Piece.whole(file), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
    }

    @Test
    void lineNumbersAreThoseOfTheFileAlsoInALaterPiece() throws IOException {
        StringBuilder text = new StringBuilder();
        for (int i = 1; i <= 500; i++) {
            text.append(i == 400 ? "{\"id\":\"bad\"}\n" : "{\"id\":" + i + "}\n");
        }
        DataFile file = file("long.jsonl", text.toString());
        Lenient context = new Lenient();
        for (Piece piece :
                formats.byName("json").pieces(file, idAndKind(), List.of(), 700).pieces()) {
            rows("json", piece, idAndKind(), FormatOptions.DEFAULTS, context);
        }
        assertEquals(1, context.problems.size());
        assertTrue(context.problems.get(0).startsWith(file + ":400:"), context.problems.get(0));
    }

    @Test
    void csvRecordsThatDoNotFitAreNamedByLine() throws IOException {
        DataFile file = file("a.csv", "id,kind\n1,x\n2\n3,y,z\nfour,w\n\n5,\"multi\nline\"\n6,\"a \"\"b\"\"\"\n");
        Lenient context = new Lenient();
        assertEquals(3, rows("csv", Piece.whole(file), idAndKind(), FormatOptions.DEFAULTS, context));
        assertTrue(
                context.problems.get(0).startsWith(file + ":3: found 1 field, but the file has 2 columns"),
                context.problems.get(0));
        assertTrue(context.problems.get(1).contains(":4: found 3 fields"), context.problems.get(1));
        assertTrue(
                context.problems.get(2).contains(":5: column id is int, but the value is 'four'"),
                context.problems.get(2));
        assertEquals(List.of("2", "3,y,z", "four,w"), context.raw);
    }

    @Test
    void aLineBreakInQuotesIsNeverReadInHalves() throws IOException {
        StringBuilder text = new StringBuilder("id,kind\n");
        for (int i = 0; i < 200; i++) {
            text.append(i).append(i % 50 == 17 ? ",\"two\nlines\"\n" : ",one line\n");
        }
        DataFile file = file("breaks.csv", text.toString());
        Format csv = formats.byName("csv");
        assertEquals(200, rows("csv", Piece.whole(file), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
        for (long target = 30; target < 900; target += 37) {
            List<Piece> pieces =
                    csv.pieces(file, idAndKind(), List.of(), target).pieces();
            BadData e = assertThrows(
                    BadData.class,
                    () -> pieces.forEach(p -> rows("csv", p, idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT)));
            assertTrue(e.getMessage().contains("line"), e.getMessage());
        }
    }

    @Test
    void csvOptionsAndForms() throws IOException {
        DataFile file = file("odd.csv", "\uFEFFid;kind\r\n1;NA\r\n2;\"NA\"\r\n3;\r\n4;\"\"\r\n");
        FormatOptions options = FormatOptions.of(Map.of("delimiter", ";", "null_text", "NA"));
        List<List<Object>> rows = new ArrayList<>();
        try (BatchReader reader =
                formats.byName("csv").read(Piece.whole(file), idAndKind(), options, ReadContext.STRICT)) {
            Batch batch = reader.next();
            for (int r = 0; r < batch.rowCount(); r++) {
                TextColumn kind = (TextColumn) batch.column(1);
                rows.add(
                        Arrays.asList(((IntColumn) batch.column(0)).values()[r], kind.isNull(r) ? null : kind.text(r)));
            }
        }
        assertEquals("[[1, null], [2, NA], [3, null], [4, ]]", rows.toString());
        DataFile bare = file("bare.csv", "1,x\n2,y\n");
        FormatOptions noHeader = FormatOptions.of(Map.of("header", "false"));
        assertEquals(
                "[column_1 int, column_2 text]",
                formats.byName("csv").infer(List.of(bare), noHeader).columns().stream()
                        .map(c -> c.name() + " " + c.type())
                        .toList()
                        .toString());
    }

    @Test
    void bytesThatAreNotTextAreRefused() throws IOException {
        DataFile file = file("latin.csv", new byte[] {'i', 'd', ',', 'k', '\n', '1', ',', (byte) 0xE4, '\n'});
        BadData e = assertThrows(
                BadData.class,
                () -> rows(
                        "csv",
                        Piece.whole(file),
                        List.of(ColumnSpec.of("k", DataType.TEXT)),
                        FormatOptions.DEFAULTS,
                        ReadContext.STRICT));
        assertTrue(e.getMessage().contains("is not UTF-8 text"), e.getMessage());
    }

    @Test
    void compressedFilesAreReadWhole() throws IOException {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (GZIPOutputStream out = new GZIPOutputStream(bytes)) {
            for (int i = 0; i < 10_000; i++) {
                out.write(("{\"id\":" + i + "}\n").getBytes(UTF_8));
            }
        }
        DataFile file = file("a.jsonl.gz", bytes.toByteArray());
        List<Piece> pieces =
                formats.byName("json").pieces(file, idAndKind(), List.of(), 100).pieces();
        assertEquals(1, pieces.size());
        assertEquals(10_000, rows("json", pieces.get(0), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
        DataFile cut = file("cut.jsonl.gz", Arrays.copyOf(bytes.toByteArray(), bytes.size() / 2));
        assertThrows(
                ResourceFailure.class,
                () -> rows("json", Piece.whole(cut), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
    }

    private DataFile parquet(int rows) throws IOException {
        Schema schema = Schema.of(Field.of("id", DataType.LONG), Field.of("name", DataType.TEXT));
        Path path = folder.resolve("whole.parquet");
        try (FileWriter writer = formats.byName("parquet").write(StorePath.of(path), schema, FormatOptions.DEFAULTS)) {
            for (int group = 0; group < 4; group++) {
                long[] ids = new long[rows];
                StringBuilder names = new StringBuilder();
                int[] offsets = new int[rows + 1];
                for (int i = 0; i < rows; i++) {
                    ids[i] = group * 1000L + i;
                    names.append("name ").append(i % 7);
                    offsets[i + 1] = names.length();
                }
                writer.write(new Batch(
                        rows,
                        new LongColumn(ids, null),
                        new TextColumn(names.toString().getBytes(UTF_8), offsets, null)));
                writer.flush();
            }
            writer.finish();
        }
        return new DataFile(StorePath.of(path), Files.size(path), 1);
    }

    @Test
    void rowGroupsThatCannotMatchAreNotRead() throws IOException {
        DataFile file = parquet(500);
        List<ColumnSpec> columns = List.of(ColumnSpec.of("id", DataType.LONG), ColumnSpec.of("name", DataType.TEXT));
        Expression id = new ColumnRef(0, "id", DataType.LONG);
        Expression name = new ColumnRef(1, "name", DataType.TEXT);
        Format parquet = formats.byName("parquet");
        Pieces all = parquet.pieces(file, columns, List.of(), 1 << 30);
        assertEquals(2000, all.rows());
        Pieces one = parquet.pieces(
                file, columns, List.of(Operators.compare("=", id, new Literal(2001L, DataType.LONG))), 1 << 30);
        assertEquals(500, one.rows());
        assertTrue(one.skippedBytes() > file.bytes() / 2);
        assertEquals(500, rows("parquet", one.pieces().get(0), columns, FormatOptions.DEFAULTS, ReadContext.STRICT));
        Pieces none = parquet.pieces(
                file, columns, List.of(Operators.compare(">", name, new Literal("z", DataType.TEXT))), 1 << 30);
        assertEquals(List.of(), none.pieces());
        int cut = 0;
        for (Piece piece : parquet.pieces(file, columns, List.of(), 10).pieces()) {
            cut += rows("parquet", piece, columns, FormatOptions.DEFAULTS, ReadContext.STRICT);
        }
        assertEquals(2000, cut);
    }

    @Test
    void aMissingFileIsNamed() {
        DataFile gone = new DataFile(StorePath.of(folder.resolve("gone.parquet")), 100, 1);
        ResourceFailure e = assertThrows(
                ResourceFailure.class, () -> formats.byName("parquet").pieces(gone, List.of(), List.of(), 100));
        assertTrue(e.getMessage().endsWith("gone.parquet: it does not exist"), e.getMessage());
    }

    @Test
    void everyFormatRefusesColumnsOfTheWrongType() throws IOException {
        DataFile file = parquet(10);
        List<ColumnSpec> wrong = List.of(ColumnSpec.of("name", DataType.INT));
        BadData e = assertThrows(
                BadData.class,
                () -> rows("parquet", Piece.whole(file), wrong, FormatOptions.DEFAULTS, ReadContext.STRICT));
        assertTrue(e.getMessage().contains("column name is text in"), e.getMessage());
    }

    @Test
    void aQuoteThatIsNotClosedDoesNotSwallowTheRestOfTheFile() throws IOException {
        String rest = "5,y\n".repeat(30_000);
        for (String end : List.of("", rest)) {
            DataFile file = file("open" + end.length() + ".csv", "id,kind\n1,\"a \"\"b\"\"\"\n2,\"open\n3,x\n" + end);
            BadData e = assertThrows(
                    BadData.class,
                    () -> rows("csv", Piece.whole(file), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
            assertTrue(e.getMessage().contains(":3: a quote is opened in this record and not closed"), e.getMessage());
        }
        DataFile closed = file("closed.csv", "id,kind\n1,\"a\nb\"\n2,\"\"\n3,\"c\"\"\"");
        assertEquals(3, rows("csv", Piece.whole(closed), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
        DataFile inches = file("inches.csv", "id,kind\n1,5\" pipe\n2,x\n");
        assertEquals(2, rows("csv", Piece.whole(inches), idAndKind(), FormatOptions.DEFAULTS, ReadContext.STRICT));
    }
}
