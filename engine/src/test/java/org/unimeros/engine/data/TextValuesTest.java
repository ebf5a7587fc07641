package org.unimeros.engine.data;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;

/** Columns that are read from texts hold what {@link Parse} makes of each, and nothing where it makes nothing. */
class TextValuesTest {

    private static final String ALPHABET = "0123456789.-+eE 0123456789";

    private static final List<DataType> TYPES = List.of(
            DataType.INT,
            DataType.LONG,
            DataType.DOUBLE,
            DataType.FLOAT,
            DataType.BOOLEAN,
            DataType.DATE,
            DataType.TIMESTAMP,
            DataType.TIME,
            new DataType.Decimal(18, 3),
            new DataType.Decimal(6, 1),
            new DataType.Decimal(30, 4));

    private static TextColumn column(List<String> texts, Random random) {
        ColumnBuilder builder = ColumnBuilder.of(DataType.TEXT);
        texts.forEach(text -> Values.append(builder, text));
        return (TextColumn) TextForms.other(builder.build(), texts.size(), random);
    }

    private static void assertReadAsParsed(List<String> texts, Random random) {
        TextColumn column = column(texts, random);
        for (DataType type : TYPES) {
            Column read = TextValues.read(column, texts.size(), type);
            List<Object> found = new ArrayList<>();
            List<Object> expected = new ArrayList<>();
            for (int i = 0; i < texts.size(); i++) {
                found.add(Values.get(read, i, type));
                String text = texts.get(i);
                expected.add(text == null ? null : Parse.value(text, type).orElse(null));
            }
            assertEquals(expected, found, () -> texts + " as " + type);
        }
    }

    @Test
    void numbersOfAllFormsAgreeWithTheGeneralRules() {
        Random random = new Random(3);
        for (int round = 0; round < 400; round++) {
            List<String> texts = new ArrayList<>();
            for (int i = 0; i < 100; i++) {
                StringBuilder text = new StringBuilder();
                int length = random.nextInt(22);
                for (int c = 0; c < length; c++) {
                    int choice = random.nextInt(8) == 0 ? random.nextInt(ALPHABET.length()) : random.nextInt(10);
                    text.append(ALPHABET.charAt(choice));
                }
                texts.add(random.nextInt(20) == 0 ? null : text.toString());
            }
            assertReadAsParsed(texts, random);
        }
    }

    @Test
    void doublesAreReadExactly() {
        Random random = new Random(4);
        List<String> texts = new ArrayList<>();
        for (int i = 0; i < 4000; i++) {
            double value = i % 2 == 0 ? random.nextInt(1_000_000) / 1000.0 : Double.longBitsToDouble(random.nextLong());
            texts.add(Double.toString(value));
        }
        texts.addAll(List.of("-0", "-0.0", "0", "123456789012345", "1234567890123456", "9007199254740993", ".5", "5."));
        assertReadAsParsed(texts, random);
    }

    @Test
    void limitsOfNumbersAreKept() {
        List<String> texts = new ArrayList<>();
        for (String number : List.of(
                "2147483647",
                "2147483648",
                "9223372036854775807",
                "9223372036854775808",
                "99999",
                "999999",
                "99999.9",
                "99999.94",
                "99999.95",
                "999999999999999.999",
                "999999999999999.9994",
                "000000000000000000001",
                "0000000000000000007",
                "-",
                ".",
                "-.",
                "+7",
                "1..2",
                "1.2.3",
                "٣",
                "½")) {
            texts.addAll(List.of(number, "-" + number, " " + number + " ", "0" + number));
        }
        assertReadAsParsed(texts, new Random(5));
    }

    @Test
    void datesAndTimesOfAllFormsAgreeWithTheGeneralRules() {
        Random random = new Random(6);
        List<String> texts =
                new ArrayList<>(Arrays.asList("", null, "2031-02-29", "2032-02-29", "1900-02-29", "2000-02-29"));
        for (int i = 0; i < 20_000; i++) {
            String date = String.format("%04d-%02d-%02d", random.nextInt(3000), random.nextInt(14), random.nextInt(33));
            String time = String.format(
                    "%02d:%02d:%02d.%03d", random.nextInt(25), random.nextInt(61), random.nextInt(61), i % 1000);
            String text = date + " T_".charAt(random.nextInt(3)) + time + (random.nextInt(3) == 0 ? "Z" : "");
            String cut = text.substring(0, random.nextInt(3) == 0 ? 10 : random.nextInt(text.length() + 1));
            StringBuilder changed = new StringBuilder(cut);
            if (!cut.isEmpty() && random.nextInt(4) == 0) {
                changed.setCharAt(random.nextInt(cut.length()), (char) (32 + random.nextInt(224)));
            }
            texts.add(changed.toString());
        }
        assertReadAsParsed(texts, random);
    }
}
