package org.unimeros.code;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.unimeros.engine.error.UserMistake;

/** Partitioners that are often wanted. Without any, keys are divided by their hash. */
public final class Partitioners {

    /** Spreads hashes; those of texts, unlike those of some other objects, are the same in all processes. */
    private static final int SPREAD = 0x9E3779B9;

    private static final Set<ChronoUnit> PERIODS =
            EnumSet.of(ChronoUnit.DAYS, ChronoUnit.WEEKS, ChronoUnit.MONTHS, ChronoUnit.YEARS);
    /** The first day that is counted, of 1970, was a Thursday. */
    private static final int DAYS_FROM_MONDAY = 3;

    private Partitioners() {}

    /** The first reducers get a key of the list each, in its order; all other keys are divided by hash among the reducers that follow. */
    public static <K, V> Partitioner<K, V> byKeys(List<K> keys) {
        Map<K, Integer> numbers = new HashMap<>();
        for (K key : keys) {
            if (numbers.put(key, numbers.size()) != null) {
                throw new UserMistake("the key " + key + " is listed twice");
            }
        }
        return (key, value, reducers) -> {
            Integer number = numbers.get(key);
            if (number != null) {
                return number;
            }
            int others = reducers - numbers.size();
            if (others <= 0) {
                throw new UserMistake("the key " + key + " is not listed, and all " + reducers
                        + " reducers are for listed ones; ask for more reducers");
            }
            return numbers.size() + Math.floorMod(key.toString().hashCode() * SPREAD, others);
        };
    }

    /**
     * Periods one after the other go to reducers in turn, all keys of a period to the same: months to twelve reducers are January to
     * December. Weeks begin on Monday.
     *
     * @param unit days, weeks, months or years
     */
    public static <V> Partitioner<LocalDate, V> byDate(ChronoUnit unit) {
        requirePeriod(unit);
        return (key, value, reducers) -> (int) Math.floorMod(period(key, unit), (long) reducers);
    }

    /** The same for points in time, whose dates are taken in UTC. */
    public static <V> Partitioner<Instant, V> byTime(ChronoUnit unit) {
        requirePeriod(unit);
        return (key, value, reducers) ->
                (int) Math.floorMod(period(LocalDate.ofInstant(key, ZoneOffset.UTC), unit), (long) reducers);
    }

    private static void requirePeriod(ChronoUnit unit) {
        if (!PERIODS.contains(unit)) {
            throw new UserMistake("keys are divided by days, weeks, months or years, not by " + unit);
        }
    }

    private static long period(LocalDate date, ChronoUnit unit) {
        return switch (unit) {
            case WEEKS -> Math.floorDiv(date.toEpochDay() + DAYS_FROM_MONDAY, 7L);
            case MONTHS -> date.getYear() * 12L + date.getMonthValue() - 1;
            case YEARS -> date.getYear();
            default -> date.toEpochDay();
        };
    }
}
