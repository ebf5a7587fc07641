package org.unimeros.storage.format;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.storage.store.StorePath;

class LineReaderTest {

    @TempDir
    Path folder;

    private DataFile file(String text) throws IOException {
        Path path = folder.resolve("lines.txt");
        Files.writeString(path, text);
        return new DataFile(StorePath.of(path), Files.size(path), 1);
    }

    private static List<String> lines(Piece piece) {
        List<String> lines = new ArrayList<>();
        try (LineReader reader = new LineReader(piece)) {
            while (reader.next()) {
                lines.add(new String(reader.copyLine(), UTF_8));
            }
        }
        return lines;
    }

    @Test
    void everyLineIsReadOnceHoweverTheFileIsCut() throws IOException {
        Random random = new Random(1);
        for (int round = 0; round < 60; round++) {
            List<String> expected = new ArrayList<>();
            StringBuilder text = new StringBuilder();
            int count = random.nextInt(30);
            for (int i = 0; i < count; i++) {
                String line = "ä".repeat(random.nextInt(4)) + "x".repeat(random.nextInt(12));
                expected.add(line);
                boolean last = i == count - 1;
                boolean endless = last && random.nextBoolean() && !line.isEmpty();
                text.append(line).append(endless ? "" : random.nextBoolean() ? "\n" : "\r\n");
            }
            DataFile file = file(text.toString());
            for (long target = 1; target <= file.bytes() + 1; target += 1 + random.nextInt(3)) {
                List<String> read = new ArrayList<>();
                for (Piece piece : Pieces.cut(file, true, target).pieces()) {
                    read.addAll(lines(piece));
                }
                assertEquals(expected, read, "round " + round + " target " + target);
                assertEquals(expected, severalAtOnce(file, target, 1 + random.nextInt(40)), "target " + target);
            }
        }
    }

    private static List<String> severalAtOnce(DataFile file, long target, int most) {
        List<String> lines = new ArrayList<>();
        int[] starts = new int[most];
        int[] ends = new int[most];
        for (Piece piece : Pieces.cut(file, true, target).pieces()) {
            try (LineReader reader = new LineReader(piece)) {
                for (int n = reader.next(starts, ends); n > 0; n = reader.next(starts, ends)) {
                    for (int i = 0; i < n; i++) {
                        lines.add(new String(reader.buffer(), starts[i], ends[i] - starts[i], UTF_8));
                    }
                }
            }
        }
        return lines;
    }

    @Test
    void linesLongerThanTheBufferAreWhole() throws IOException {
        String huge = "y".repeat(1_000_000);
        DataFile file = file("a\n" + huge + "\nb");
        assertEquals(List.of("a", huge, "b"), lines(Piece.whole(file)));
        assertEquals(List.of("a", huge, "b"), severalAtOnce(file, file.bytes(), 5));
        assertEquals(List.of("b"), lines(new Piece(file, 10, file.bytes())));
    }

    @Test
    void aLineKnowsItsNumberInTheFile() throws IOException {
        DataFile file = file("a\nb\nc\nd\n");
        try (LineReader reader = new LineReader(new Piece(file, 3, 8))) {
            reader.next();
            assertEquals("c", new String(reader.copyLine(), UTF_8));
            assertEquals(file + ":3", reader.place());
        }
    }
}
