package org.unimeros.engine.data;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.List;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;

class FieldParserTest {

    private static final String ALPHABET = "0123456789.-+eE 0123456789";

    private final FieldParser parser = new FieldParser();

    private Optional<Object> parse(String text, DataType type) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        char[] chars = ("##" + text + "##").toCharArray();
        boolean fits = parser.append(chars, 2, text.length(), FieldParser.Form.of(type), type, builder);
        assertEquals(fits ? 1 : 0, builder.size(), text);
        return fits ? Optional.ofNullable(Values.get(builder.build(), 0, type)) : Optional.empty();
    }

    /** The quick ways for usual forms must agree with the one that every other part of the program uses. */
    @Test
    void quickParsingAgreesWithTheGeneralRules() {
        Random random = new Random(3);
        for (int i = 0; i < 40_000; i++) {
            StringBuilder text = new StringBuilder();
            int length = random.nextInt(22);
            for (int c = 0; c < length; c++) {
                int choice = random.nextInt(8) == 0 ? random.nextInt(ALPHABET.length()) : random.nextInt(10);
                text.append(ALPHABET.charAt(choice));
            }
            for (DataType type : List.of(
                    DataType.INT,
                    DataType.LONG,
                    DataType.DOUBLE,
                    new DataType.Decimal(18, 3),
                    new DataType.Decimal(6, 1),
                    new DataType.Decimal(30, 4))) {
                assertEquals(Parse.value(text.toString(), type), parse(text.toString(), type), text + " as " + type);
            }
        }
    }

    @Test
    void randomDoublesAndDatesAreReadExactly() {
        Random random = new Random(4);
        for (int i = 0; i < 20_000; i++) {
            double value = i % 2 == 0 ? random.nextInt(1_000_000) / 1000.0 : Double.longBitsToDouble(random.nextLong());
            if (Double.isFinite(value)) {
                assertEquals(Optional.of(value), parse(Double.toString(value), DataType.DOUBLE));
            }
            String date = String.format("%04d-%02d-%02d", random.nextInt(3000), random.nextInt(14), random.nextInt(33));
            assertEquals(Parse.value(date, DataType.DATE), parse(date, DataType.DATE), date);
        }
    }

    @Test
    void textIsKeptAsItIs() {
        for (String text : List.of("", "plain", " blanks ", "Übergröße", "😀", "x".repeat(5000))) {
            assertEquals(Optional.of(text), parse(text, DataType.TEXT));
        }
    }
}
