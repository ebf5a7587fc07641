package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class IsoTextTest {

    private static long date(String text) {
        return IsoText.date((">" + text).getBytes(UTF_8), 1, text.length());
    }

    private static long timestamp(String text) {
        return IsoText.timestamp((">" + text).getBytes(UTF_8), 1, text.length());
    }

    @Test
    void everyDayOfSomeCenturiesIsTheDayThatTheCalendarSays() {
        for (LocalDate day = LocalDate.of(0, 1, 1); day.getYear() < 401; day = day.plusDays(1)) {
            assertEquals(day.toEpochDay(), date(day.toString()));
            LocalDate later = day.plusYears(1800);
            assertEquals(later.toEpochDay(), date(later.toString()));
        }
        assertEquals(LocalDate.of(9999, 12, 31).toEpochDay(), date("9999-12-31"));
    }

    @Test
    void timestampsOfAnyPrecisionAreTheInstantsThatTheLibraryReads() {
        SplittableRandom random = new SplittableRandom(3);
        for (int i = 0; i < 20_000; i++) {
            LocalDateTime time = LocalDateTime.ofEpochSecond(
                            random.nextLong(-60_000_000_000L, 60_000_000_000L),
                            random.nextInt(1_000_000) * 1000,
                            ZoneOffset.UTC)
                    .truncatedTo(
                            switch (random.nextInt(4)) {
                                case 0 -> ChronoUnit.MINUTES;
                                case 1 -> ChronoUnit.SECONDS;
                                case 2 -> ChronoUnit.MILLIS;
                                default -> ChronoUnit.MICROS;
                            });
            String text = time.toString();
            long expected = ChronoUnit.MICROS.between(Instant.EPOCH, time.toInstant(ZoneOffset.UTC));
            assertEquals(expected, timestamp(text), text);
            assertEquals(expected, timestamp(text.replace('T', ' ') + "Z"), text);
        }
    }

    @ParameterizedTest
    @ValueSource(
            strings = {
                "",
                "2031-02-29",
                "2100-02-29",
                "2031-04-31",
                "2031-03-32",
                "2031-03-0:",
                "203/-03-01",
                "203:-03-01",
                "2031.03-01",
                "2031-03701",
                "2031-03-é",
                "2031-13-01",
                "2031-00-10",
                "2031-01-00",
                "2031-1-01",
                "2031/01/01",
                "20310101",
                "2O31-01-01"
            })
    void whatIsNoDateIsLeftToTheLibrary(String text) {
        assertEquals(IsoText.UNKNOWN, date(text));
        assertEquals(IsoText.UNKNOWN, timestamp(text + "T08:15"));
    }

    @ParameterizedTest
    @ValueSource(
            strings = {
                "Z",
                "2031-03-02T08",
                "2031-03-02T08:1",
                "2031-03-02T24:00",
                "2031-03-02T08:60",
                "2031-03-02T08:15:60",
                "2031-03-02T08:15:",
                "2031-03-02T08:15:1",
                "2031-03-02T08:15:10.",
                "2031-03-02T08:15:10.1234567",
                "2031-03-02T08:15+01:00",
                "2031-03-02_08:15",
                "2031-03-02T08:15:10,5",
                "2031-03-02T08:15:1x"
            })
    void whatIsNoTimestampIsLeftToTheLibrary(String text) {
        assertEquals(IsoText.UNKNOWN, timestamp(text));
    }
}
