package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

/** Texts are the same when the bytes that they were cut from have been given up, and few different ones become a dictionary. */
class TextKeeperTest {

    /** Slices that end where the array ends, or before. */
    private static TextColumn slices(List<String> texts, int behind) {
        StringBuilder all = new StringBuilder("#");
        int[] starts = new int[texts.size() + 3];
        int[] ends = new int[starts.length];
        long[] nulls = texts.stream().anyMatch(Objects::isNull) ? Bits.make(texts.size()) : null;
        for (int i = 0; i < texts.size(); i++) {
            starts[i] = all.toString().getBytes(UTF_8).length;
            all.append(texts.get(i) == null ? "" : texts.get(i));
            ends[i] = all.toString().getBytes(UTF_8).length;
            if (texts.get(i) == null) {
                Bits.set(nulls, i);
            }
        }
        return TextColumn.slices((all + "#".repeat(behind)).getBytes(UTF_8), starts, ends, nulls);
    }

    private static TextColumn keep(TextKeeper keeper, List<String> texts, int behind) {
        TextColumn cut = slices(texts, behind);
        TextColumn kept = keeper.keep(cut, texts.size());
        Arrays.fill(cut.bytes(), (byte) '!');
        List<String> found = new ArrayList<>();
        for (int i = 0; i < texts.size(); i++) {
            found.add(kept.isNull(i) ? null : kept.text(i));
        }
        assertEquals(texts, found);
        return kept;
    }

    private static List<String> texts(int rows, int different, Random random) {
        String[] all = IntStream.range(0, different)
                .mapToObj(i ->
                        "x".repeat(random.nextInt(3) * 7) + "ä".repeat(i % 2) + i + "y".repeat(random.nextInt(2) * 9))
                .toArray(String[]::new);
        List<String> texts = new ArrayList<>();
        for (int i = 0; i < rows; i++) {
            texts.add(random.nextInt(30) == 0 ? null : random.nextInt(30) == 0 ? "" : all[random.nextInt(different)]);
        }
        return texts;
    }

    @Test
    void textsAreWhatTheyWere() {
        Random random = new Random(1);
        for (int round = 0; round < 300; round++) {
            TextKeeper keeper = new TextKeeper();
            for (int batch = 0; batch < 3; batch++) {
                List<String> texts = texts(random.nextInt(200), 1 + random.nextInt(80), random);
                keep(keeper, texts, random.nextInt(12));
            }
        }
        keep(new TextKeeper(), List.of("a", "\\0a", "a\\0", "\\0\\0a", "", "12345678", "123456789", "12345678\\0"), 0);
        keep(new TextKeeper(), Arrays.asList(null, null), 0);
    }

    @Test
    void fewDifferentTextsHaveADictionaryAndManyHaveNone() {
        TextKeeper keeper = new TextKeeper();
        List<String> few =
                IntStream.range(0, 1000).mapToObj(i -> "kind " + i % 64).toList();
        assertEquals(64, keep(keeper, few, 9).entries());
        List<String> many =
                IntStream.range(0, 1000).mapToObj(i -> "kind " + i % 65).toList();
        assertNull(keep(keeper, many, 9).ids());
        assertNull(keep(keeper, few, 9).ids(), "not tried again at once");
        for (int batch = 0; batch < 40; batch++) {
            keep(keeper, few, 9);
        }
        assertEquals(64, keep(keeper, few, 9).entries());
    }
}
