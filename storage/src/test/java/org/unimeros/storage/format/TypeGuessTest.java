package org.unimeros.storage.format;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.Arrays;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;

class TypeGuessTest {

    private static TypeGuess of(String... samples) {
        TypeGuess guess = new TypeGuess();
        for (String sample : samples) {
            guess.addText(sample);
        }
        return guess;
    }

    @Test
    void theNarrowestTypeThatFitsAllSamplesIsTaken() {
        String[][] cases = {
            {"int", "1", "-2", "+3"},
            {"long", "1", "99999999999"},
            {"double", "1", "2.5", "1e9"},
            {"boolean", "true", "FALSE"},
            {"date", "2031-03-04", "1999-12-31"},
            {"timestamp", "2031-03-04", "2031-03-04 05:06:07"},
            {"text", "1", "x"},
            {"text", "yes", "no"},
            {"text", "007", "12"},
            {"text", "2031-03-04", "12"},
            {"text", "1.2.3"},
            {"int", "0", "10"},
        };
        for (String[] c : cases) {
            String[] samples = Arrays.copyOfRange(c, 1, c.length);
            assertEquals(c[0], of(samples).type().toString(), String.join(", ", samples));
        }
        assertEquals(DataType.TEXT, of().type());
        assertEquals(DataType.INT, of(null, "5", null).type());
    }

    @Test
    void aFewSamplesThatDoNotFitAreRemarkedOn() {
        String[] numbers = new String[50];
        Arrays.fill(numbers, "17");
        numbers[30] = "none";
        assertEquals(
                Optional.of(
                        "column n is read as text, because it is int in some records and text in others; declare its"
                                + " type to have the others reported"),
                of(numbers).remark("n"));
        numbers[31] = "007";
        assertEquals(Optional.empty(), of(numbers).remark("n"), "codes are text");
        assertEquals(Optional.empty(), of("a", "1", "b", "2").remark("n"), "as many of one as of the other");
        assertEquals(Optional.empty(), of("1", "2").remark("n"));
    }
}
