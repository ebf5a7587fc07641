package org.unimeros.cli;

import static java.nio.charset.StandardCharsets.ISO_8859_1;
import static java.nio.charset.StandardCharsets.UTF_16LE;
import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Random;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvFileSource;
import org.unimeros.cli.Commands.Result;

/**
 * Files that are no good, and what is said of each: one line with an exit code of its own, never a trace. The table is {@code
 * hostile/inputs.csv}: how a file is made, what it is asked, the exit code, and a part of the line.
 */
class HostileInputsTest {

    @TempDir
    static Path folder;

    @BeforeAll
    static void makeFilesThatTextCannotSay() throws IOException {
        write("latin.csv", "depot,place\n1,Rübenfeld\n".getBytes(ISO_8859_1));
        write("latin.jsonl", "{\"place\": \"Rübenfeld\"}\n".getBytes(ISO_8859_1));
        write("latin.txt", "Rübenfeld\n".getBytes(ISO_8859_1));
        write("wide.csv", "depot,place\n1,x\n".getBytes(UTF_16LE));
        write("zeros.csv", new byte[5_000]);
        write("zeros.parquet", new byte[5_000]);
        write("zeros.jsonl", new byte[5_000]);
        write("random.parquet", random(9_000));
        write("random.csv", random(9_000));
        write("random.jsonl", random(9_000));
        write("short.parquet", "PAR1".getBytes(UTF_8));
        write("long-footer.parquet", "PAR1xxxx\u007f\u007f\u007f\u007fPAR1".getBytes(UTF_8));
        write("text.csv.gz", "id\n1\n".getBytes(UTF_8));
        try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(folder.resolve("whole.csv.gz")))) {
            out.write("id,n\n".getBytes(UTF_8));
            for (int i = 0; i < 20_000; i++) {
                out.write((i + "," + i * 31 % 977 + "\n").getBytes(UTF_8));
            }
        }
        byte[] whole = Files.readAllBytes(folder.resolve("whole.csv.gz"));
        write("cut.csv.gz", Arrays.copyOf(whole, whole.length / 2));
        whole[whole.length / 2] ^= 0x55;
        write("flipped.csv.gz", whole);
        Commands.run(Terminal.NONE, "query", "select x from unnest(series(1, 9000)) s(x)", "--to", folder + "/good");
        try (Stream<Path> files = Files.walk(folder.resolve("good"))) {
            byte[] good = Files.readAllBytes(files.filter(f -> f.toString().endsWith(".parquet"))
                    .findFirst()
                    .orElseThrow());
            write("cut.parquet", Arrays.copyOf(good, good.length - 20));
            good[good.length / 3] ^= 0x55;
            write("flipped.parquet", good);
        }
        write("many.csv", ("a,".repeat(40_000) + "z\n").getBytes(UTF_8));
        write("longline.jsonl", ("{\"a\": \"" + "x".repeat(3_000_000) + "\n").getBytes(UTF_8));
        write("deep.jsonl", ("{\"a\": " + "[".repeat(5_000) + "]".repeat(5_000) + "}\n").getBytes(UTF_8));
        Files.createDirectories(folder.resolve("folder.csv"));
        Files.createDirectories(folder.resolve("empty"));
        Files.createSymbolicLink(folder.resolve("nowhere.csv"), folder.resolve("gone"));
    }

    private static byte[] random(int size) {
        byte[] bytes = new byte[size];
        new Random(60).nextBytes(bytes);
        return bytes;
    }

    private static void write(String name, byte[] bytes) throws IOException {
        Files.write(folder.resolve(name), bytes);
    }

    @ParameterizedTest
    @CsvFileSource(
            resources = "/hostile/inputs.csv",
            numLinesToSkip = 1,
            delimiter = '|',
            quoteCharacter = '\'',
            maxCharsPerColumn = 100_000)
    void whatIsWrongIsSaidInALine(String name, String content, String query, int code, String part) throws IOException {
        if (content != null) {
            write(name, content.translateEscapes().getBytes(UTF_8));
        }
        String path = folder.resolve(name).toString();
        String sql =
                query.contains(" ") ? query.replace("FILE", path) : "select " + query + " from dataset('" + path + "')";
        Result result = Commands.run(Terminal.NONE, "query", sql, "--csv");
        String said = name + ": " + result.err() + result.out();
        assertEquals(code, result.code(), said);
        assertTrue(said.contains(part), said);
        assertFalse(said.contains("\tat ") || said.contains("Exception"), said);
        assertEquals(
                code == ExitCode.DONE ? 0 : 1,
                result.err().lines().filter(l -> l.startsWith("unimeros: ")).count(),
                said);
    }

    @Test
    void theTableIsAsLongAsItSays() throws IOException {
        assertTrue(Files.readAllLines(Path.of("src/test/resources/hostile/inputs.csv"))
                        .size()
                > 60);
    }
}
