package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.ISO_8859_1;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.util.Random;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

class DigitsTest {

    private static final Pattern NUMBER = Pattern.compile("-?(?=\\.?[0-9])[0-9]*\\.?[0-9]*");

    @Test
    void numbersAreReadAsTheyAreWrittenAndNothingElseIs() {
        Random random = new Random(6);
        Digits digits = new Digits();
        String usual = "0123456789.-";
        int read = 0;
        for (int round = 0; round < 400_000; round++) {
            StringBuilder made = new StringBuilder();
            int length = random.nextInt(round % 4 == 0 ? 23 : 11);
            for (int i = 0; i < length; i++) {
                int kind = random.nextInt(round % 3 == 0 ? 30 : 300);
                made.append(
                        kind == 0
                                ? (char) random.nextInt(256)
                                : kind == 1 ? '.' : usual.charAt(random.nextInt(kind == 2 ? 12 : 10)));
            }
            String text = (random.nextInt(4) == 0 ? "-" : "") + made;
            // Other bytes stand around it, or the array ends.
            byte[] before = new byte[random.nextInt(3)];
            random.nextBytes(before);
            byte[] behind = new byte[random.nextInt(12)];
            random.nextBytes(behind);
            byte[] bytes =
                    (new String(before, ISO_8859_1) + text + new String(behind, ISO_8859_1)).getBytes(ISO_8859_1);
            boolean isRead = digits.read(bytes, before.length, before.length + text.length());
            boolean isNumber = NUMBER.matcher(text).matches();
            assertTrue(isNumber || !isRead, () -> "read " + text);
            long count = text.chars().filter(Character::isDigit).count();
            assertEquals(isNumber && count <= 18, isRead, text);
            if (isRead) {
                read++;
                BigDecimal number = new BigDecimal(text.endsWith(".") ? text + "0" : text);
                assertEquals(0, number.compareTo(BigDecimal.valueOf(digits.unscaled(), digits.behind())), text);
                assertEquals(count, digits.count(), text);
                assertEquals(text.contains("."), digits.hasPoint(), text);
            }
        }
        assertTrue(read > 100_000, "read " + read);
    }
}
