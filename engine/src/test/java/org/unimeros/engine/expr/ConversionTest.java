package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.DayOfWeek;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.time.temporal.IsoFields;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.Function;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

/** What is computed for whole columns against the same for single values: casts of numbers, texts of values, parts of times, lists. */
class ConversionTest {

    private static final int ROWS = 200;

    private static List<Object> byBatch(Expression expression, DataType type, List<Object> values) {
        ColumnBuilder column = ColumnBuilder.of(type);
        values.forEach(v -> Values.append(column, v));
        Batch batch = new Batch(values.size(), column.build());
        var made = new Evaluator().evaluate(expression, batch);
        return IntStream.range(0, values.size())
                .mapToObj(i -> Values.get(made, i, expression.type()))
                .toList();
    }

    private static ColumnRef column(DataType type) {
        return new ColumnRef(0, "v", type);
    }

    private static List<Object> random(Random random, Function<Random, Object> value) {
        List<Object> values = new ArrayList<>();
        for (int i = 0; i < ROWS; i++) {
            values.add(random.nextInt(8) == 0 ? null : value.apply(random));
        }
        return values;
    }

    private static List<Object> each(List<Object> values, Function<Object, Object> function) {
        List<Object> results = new ArrayList<>();
        values.forEach(v -> results.add(v == null ? null : function.apply(v)));
        return results;
    }

    /** Halves, numbers that are decimal ones with few digits, large ones, and those that are none. */
    private static Double number(Random random) {
        return switch (random.nextInt(7)) {
            case 0 -> (random.nextInt(4000) - 2000) / 8.0;
            case 1 -> (random.nextInt(2_000_000) - 1_000_000) / 1000.0;
            case 2 -> random.nextGaussian() * 1e6;
            case 3 -> random.nextLong() / 1e3;
            case 4 -> Math.nextDown(random.nextInt(100) + 0.5);
            case 5 ->
                List.of(Double.NaN, -0.0, 1e300, Double.NEGATIVE_INFINITY, 0.49999999999999994, 2147483647.5)
                        .get(random.nextInt(6));
            default -> Double.valueOf(random.nextInt(100) + "." + random.nextInt(1000) + "5");
        };
    }

    private static Object unscaled(Random random, Decimal type) {
        long limit = BigDecimal.TEN.pow(type.precision()).longValueExact();
        long value = random.nextBoolean() ? random.nextLong() % limit : random.nextInt(2000) - 1000;
        return BigDecimal.valueOf(value, type.scale());
    }

    @Test
    void numbersAreNarrowedAsSingleOnesAre() {
        List<DataType> targets = List.of(DataType.INT, DataType.LONG, new Decimal(6, 2), new Decimal(18, 7));
        Decimal few = new Decimal(9, 3);
        Decimal many = new Decimal(18, 18);
        for (int seed = 0; seed < 300; seed++) {
            Random random = new Random(seed);
            DataType to = targets.get(random.nextInt(targets.size()));
            check(DataType.DOUBLE, to, random(random, ConversionTest::number));
            check(DataType.LONG, DataType.INT, random(random, r -> r.nextLong() >> r.nextInt(64)));
            check(few, targets.get(seed % 2), random(random, r -> unscaled(r, few)));
            check(many, targets.get(seed % 2), random(random, r -> unscaled(r, many)));
            check(few, new Decimal(9, seed % 3), random(random, r -> unscaled(r, few)));
        }
    }

    private static void check(DataType from, DataType to, List<Object> values) {
        List<Object> expected = each(values, v -> Casts.convert(v, from, to));
        assertEquals(expected, byBatch(Operators.cast(column(from), to, true), from, values), from + " to " + to);
        Expression strict = Operators.cast(column(from), to, false);
        int bad = IntStream.range(0, ROWS)
                .filter(i -> values.get(i) != null && expected.get(i) == null)
                .findFirst()
                .orElse(-1);
        if (bad < 0) {
            assertEquals(expected, byBatch(strict, from, values));
        } else {
            BadData error = assertThrows(BadData.class, () -> byBatch(strict, from, values));
            String wanted = Values.literal(values.get(bad)) + " does not fit " + to;
            assertTrue(error.getMessage().startsWith(wanted), error.getMessage() + ", but wanted " + wanted);
        }
    }

    @Test
    void doublesAreRoundedAndCutAsDecimalNumbers() {
        for (int seed = 0; seed < 300; seed++) {
            List<Object> values = random(new Random(seed), ConversionTest::number);
            int places = seed % 5;
            for (String name : List.of("round", "trunc")) {
                RoundingMode mode = name.equals("round") ? RoundingMode.HALF_UP : RoundingMode.DOWN;
                Expression call =
                        Functions.call(name, List.of(column(DataType.DOUBLE), new Literal(places, DataType.INT)));
                List<Object> expected = each(
                        values,
                        v -> Double.isFinite((Double) v)
                                ? BigDecimal.valueOf((Double) v)
                                        .setScale(places, mode)
                                        .doubleValue()
                                : v);
                assertEquals(expected, byBatch(call, DataType.DOUBLE, values), name + " " + places);
            }
        }
    }

    private static LocalDate day(Random random, int span) {
        return LocalDate.of(2031, 2, 27).plusDays(random.nextInt(span) - span / 2);
    }

    private static Instant instant(Random random, int span) {
        long micros = random.nextBoolean() ? random.nextInt(4) * 250_000L : random.nextInt(1_000_000);
        return day(random, span)
                .atStartOfDay(ZoneOffset.UTC)
                .toInstant()
                .plusSeconds(random.nextInt(86_400))
                .plus(micros, ChronoUnit.MICROS);
    }

    @Test
    void valuesReadAsTextAsSingleOnesDo() {
        Decimal narrow = new Decimal(12, 4);
        Decimal fraction = new Decimal(18, 18);
        for (int seed = 0; seed < 200; seed++) {
            Random random = new Random(seed);
            int span = seed % 3 == 0 ? 40 : 5_000_000;
            reads(
                    DataType.LONG,
                    random(random, r -> r.nextInt(9) == 0 ? Long.MIN_VALUE : r.nextLong() >> r.nextInt(64)));
            reads(DataType.DATE, random(random, r -> day(r, span)));
            reads(DataType.TIMESTAMP, random(random, r -> instant(r, span)));
            reads(narrow, random(random, r -> unscaled(r, narrow)));
            reads(fraction, random(random, r -> unscaled(r, fraction)));
        }
    }

    private static void reads(DataType type, List<Object> values) {
        Expression cast = Operators.cast(column(type), DataType.TEXT, false);
        assertEquals(each(values, Values::text), byBatch(cast, type, values), type.toString());
    }

    private static final Map<String, Function<LocalDateTime, Object>> PARTS = Map.of(
            "year", LocalDateTime::getYear,
            "quarter", t -> t.get(IsoFields.QUARTER_OF_YEAR),
            "month", LocalDateTime::getMonthValue,
            "week", t -> t.get(IsoFields.WEEK_OF_WEEK_BASED_YEAR),
            "day", LocalDateTime::getDayOfMonth,
            "weekday", t -> t.getDayOfWeek().getValue(),
            "hour", LocalDateTime::getHour,
            "minute", LocalDateTime::getMinute,
            "second", LocalDateTime::getSecond);

    private static final Map<String, Function<LocalDate, LocalDate>> STARTS = Map.of(
            "year", d -> d.withDayOfYear(1),
            "quarter", d -> d.withMonth((d.getMonthValue() - 1) / 3 * 3 + 1).withDayOfMonth(1),
            "month", d -> d.withDayOfMonth(1),
            "week", d -> d.with(DayOfWeek.MONDAY),
            "day", d -> d);

    private static LocalDateTime time(Object value) {
        return value instanceof LocalDate d
                ? d.atStartOfDay()
                : LocalDateTime.ofInstant((Instant) value, ZoneOffset.UTC);
    }

    @Test
    void partsOfTimesAreThoseOfSingleDays() {
        for (int seed = 0; seed < 60; seed++) {
            Random random = new Random(seed);
            int span = seed % 2 == 0 ? 90 : 1_000_000;
            for (DataType type : List.of(DataType.DATE, DataType.TIMESTAMP)) {
                List<Object> values =
                        random(random, r -> type == DataType.DATE ? (Object) day(r, span) : instant(r, span));
                PARTS.forEach((part, of) -> assertEquals(
                        each(values, v -> of.apply(time(v))),
                        byBatch(TimeKernels.wholePart(part, column(type)), type, values),
                        part));
                STARTS.forEach((unit, of) -> assertEquals(
                        each(values, v -> start(of.apply(time(v).toLocalDate()), type)),
                        byBatch(truncated(unit, type), type, values),
                        unit));
                Expression shown =
                        Functions.call("to_char", List.of(column(type), new Literal("DD.MM.YYYY", DataType.TEXT)));
                assertEquals(
                        each(values, v -> String.format("%1$td.%1$tm.%1$tY", time(v))), byBatch(shown, type, values));
            }
            List<Object> days = random(random, r -> day(r, span));
            Expression last = Functions.call("last_day", List.of(column(DataType.DATE)));
            assertEquals(
                    each(days, d -> ((LocalDate) d).withDayOfMonth(((LocalDate) d).lengthOfMonth())),
                    byBatch(last, DataType.DATE, days));
        }
    }

    private static Expression truncated(String unit, DataType type) {
        return Functions.call("date_trunc", List.of(new Literal(unit, DataType.TEXT), column(type)));
    }

    private static Object start(LocalDate day, DataType type) {
        return type == DataType.DATE ? day : day.atStartOfDay(ZoneOffset.UTC).toInstant();
    }

    @Test
    void valuesAreInAListWhenOneOfItsValuesIsEqual() {
        Map<DataType, Function<Random, Object>> types = Map.of(
                DataType.INT,
                r -> r.nextInt(30) - 15,
                DataType.LONG,
                r -> (r.nextInt(30) - 15) * 10_000_000_000L,
                DataType.DOUBLE,
                r -> r.nextInt(10) == 0 ? -0.0 : (r.nextInt(30) - 15) / 4.0,
                DataType.TEXT,
                r -> "D" + "0".repeat(r.nextInt(12)) + r.nextInt(4),
                DataType.DATE,
                r -> day(r, 30),
                new Decimal(5, 2),
                r -> BigDecimal.valueOf(r.nextInt(30), 2),
                new Decimal(30, 2),
                r -> BigDecimal.valueOf(r.nextInt(30), 2));
        for (int seed = 0; seed < 100; seed++) {
            Random random = new Random(seed);
            types.forEach((type, value) -> {
                List<Object> wanted = IntStream.range(0, 5 + random.nextInt(20))
                        .mapToObj(i -> value.apply(random))
                        .toList();
                List<Expression> list = new ArrayList<>();
                wanted.forEach(w -> list.add(new Literal(w, type)));
                List<Object> values = random(random, value);
                assertEquals(
                        each(values, v -> wanted.stream().anyMatch(w -> isSame(w, v))),
                        byBatch(Operators.in(column(type), list), type, values),
                        type + " in " + wanted);
            });
        }
    }

    private static boolean isSame(Object a, Object b) {
        return a.equals(b) || a instanceof Double x && x.doubleValue() == (Double) b;
    }
}
