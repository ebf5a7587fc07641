package org.unimeros.engine.expr;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.TreeMap;
import java.util.function.Function;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

/** Functions of text against the same on strings, for texts in every form, with arguments that vary and some that do not. */
class TextFunctionsTest {

    private static final String[] PLAIN = {"a", "b", "A", "-", ";", " ", "0", "7", "."};
    private static final String[] ANY = {"a", "b", "Ä", "ß", "€", "😀", "-", ";", " ", "7"};
    private static final int TEXT = 0;
    private static final int OTHER = 1;
    private static final int NUMBER = 2;
    private static final int COUNT = 3;

    private Random random;

    /** What a function gives for arguments none of which is null. */
    private interface OnStrings extends Function<Object[], Object> {}

    private static final Map<String, OnStrings> MODEL = new TreeMap<>(Map.ofEntries(
            Map.entry("lower t", a -> text(a, 0).toLowerCase(Locale.ROOT)),
            Map.entry("upper t", a -> text(a, 0).toUpperCase(Locale.ROOT)),
            Map.entry("length t", a -> characters(text(a, 0)).length),
            Map.entry("octet_length t", a -> text(a, 0).getBytes(UTF_8).length),
            Map.entry("trim t", a -> text(a, 0).replaceAll("^ +| +$", "")),
            Map.entry("ltrim t", a -> text(a, 0).replaceAll("^ +", "")),
            Map.entry("rtrim t", a -> text(a, 0).replaceAll(" +$", "")),
            Map.entry("trim tu", a -> trimmed(text(a, 0), text(a, 1))),
            Map.entry("left tn", a -> piece(text(a, 0), 0, number(a, 1), number(a, 1) < 0)),
            Map.entry("right tn", a -> right(text(a, 0), number(a, 1))),
            Map.entry("substring tn", a -> substring(text(a, 0), Math.max(1, number(a, 1)), 1000)),
            Map.entry("substring tnm", a -> substring(text(a, 0), number(a, 1), number(a, 2))),
            Map.entry("split_part tun", a -> part(text(a, 0), text(a, 1), number(a, 2))),
            Map.entry("position ut", a -> position(text(a, 0), text(a, 1))),
            Map.entry("starts_with tu", a -> text(a, 0).startsWith(text(a, 1))),
            Map.entry("ends_with tu", a -> text(a, 0).endsWith(text(a, 1))),
            Map.entry("contains tu", a -> text(a, 0).contains(text(a, 1))),
            Map.entry(
                    "replace tut", a -> text(a, 1).isEmpty() ? a[0] : text(a, 0).replace(text(a, 1), text(a, 2))),
            Map.entry("concat tu", a -> text(a, 0) + text(a, 1)),
            Map.entry("concat tnu", a -> text(a, 0) + a[1] + text(a, 2)),
            Map.entry("lpad tm", a -> padded(text(a, 0), number(a, 1), " ", true)),
            Map.entry("lpad tmu", a -> padded(text(a, 0), number(a, 1), text(a, 2), true)),
            Map.entry("rpad tmu", a -> padded(text(a, 0), number(a, 1), text(a, 2), false)),
            Map.entry("regexp_count t", a ->
                    (int) text(a, 0).chars().filter(c -> c == 'a').count())));

    private static String text(Object[] args, int index) {
        return (String) args[index];
    }

    private static int number(Object[] args, int index) {
        return (Integer) args[index];
    }

    private static int[] characters(String text) {
        return text.codePoints().toArray();
    }

    private static String piece(String text, int from, int to, boolean toIsBack) {
        int[] all = characters(text);
        int end = Math.clamp(toIsBack ? all.length + (long) to : to, from, all.length);
        return new String(all, from, end - from);
    }

    private static String right(String text, int count) {
        int length = characters(text).length;
        int from = Math.clamp(count >= 0 ? (long) length - count : -(long) count, 0, length);
        return piece(text, from, length, false);
    }

    private static String substring(String text, int from, int length) {
        StringBuilder out = new StringBuilder();
        int[] all = characters(text);
        for (int i = 0; i < all.length; i++) {
            boolean inside = i + 1 >= from && i + 1L < (long) from + length;
            out.append(inside ? Character.toString(all[i]) : "");
        }
        return out.toString();
    }

    private static String part(String text, String separator, int n) {
        List<String> parts = separator.isEmpty() ? List.of(text) : List.of(text.split(Pattern.quote(separator), -1));
        int index = n > 0 ? n - 1 : parts.size() + n;
        return n == 0 || index < 0 || index >= parts.size() ? "" : parts.get(index);
    }

    private static int position(String part, String text) {
        int at = text.indexOf(part);
        return at < 0 ? 0 : text.codePointCount(0, at) + 1;
    }

    private static String trimmed(String text, String set) {
        List<Integer> all = new ArrayList<>(text.codePoints().boxed().toList());
        while (!all.isEmpty() && set.indexOf(all.getFirst()) >= 0) {
            all.removeFirst();
        }
        while (!all.isEmpty() && set.indexOf(all.getLast()) >= 0) {
            all.removeLast();
        }
        return all.stream().map(Character::toString).collect(Collectors.joining());
    }

    private static String padded(String text, int length, String fill, boolean atStart) {
        int missing = length - characters(text).length;
        if (missing <= 0 || fill.isEmpty()) {
            return piece(text, 0, Math.max(0, length), false);
        }
        String filling = piece(fill.repeat(missing), 0, missing, false);
        return atStart ? filling + text : text + filling;
    }

    private String randomText(String[] alphabet, int most) {
        return IntStream.range(0, random.nextInt(most + 1))
                .mapToObj(i -> alphabet[random.nextInt(alphabet.length)])
                .collect(Collectors.joining());
    }

    private Object randomValue(int column, String[] alphabet) {
        return switch (column) {
            case TEXT -> randomText(alphabet, random.nextInt(8) == 0 ? 60 : 9);
            case OTHER -> randomText(alphabet, 2);
            // Adding to the greatest number gives the least.
            case NUMBER -> random.nextInt(9) == 0 ? Integer.MAX_VALUE - 1 + random.nextInt(4) : random.nextInt(15) - 6;
            default -> random.nextInt(9) == 0 ? 500 : random.nextInt(8);
        };
    }

    private List<Object> randomColumn(int column, int rows) {
        String[] alphabet = random.nextInt(3) == 0 ? ANY : PLAIN;
        int different = random.nextBoolean() ? rows : 1 + random.nextInt(4);
        List<Object> pool = IntStream.range(0, different)
                .mapToObj(i -> random.nextInt(6) == 0 ? null : randomValue(column, alphabet))
                .toList();
        return IntStream.range(0, rows)
                .mapToObj(i -> different == rows ? pool.get(i) : pool.get(random.nextInt(different)))
                .toList();
    }

    private Column column(int index, List<Object> values) {
        if (index >= NUMBER) {
            ColumnBuilder out = ColumnBuilder.of(DataType.INT);
            values.forEach(v -> Values.append(out, v));
            return out.build();
        }
        return switch (random.nextInt(3)) {
            case 0 -> plain(values);
            case 1 -> slices(values);
            default -> dictionary(values);
        };
    }

    private static TextColumn plain(List<Object> values) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (Object value : values) {
            byte[] utf8 = value == null ? new byte[0] : ((String) value).getBytes(UTF_8);
            out.appendText(utf8, 0, utf8.length);
        }
        return ((TextColumn) out.build()).withNulls(nulls(values));
    }

    private static long[] nulls(List<Object> values) {
        long[] nulls = Bits.make(values.size());
        IntStream.range(0, values.size()).filter(i -> values.get(i) == null).forEach(i -> Bits.set(nulls, i));
        return Bits.any(nulls, values.size()) ? nulls : null;
    }

    /** Slices with other bytes between them, the last ones first. */
    private TextColumn slices(List<Object> values) {
        int rows = values.size();
        int[] starts = new int[rows];
        int[] ends = new int[rows];
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        for (int i = rows - 1; i >= 0; i--) {
            bytes.writeBytes(randomText(PLAIN, 3).getBytes(UTF_8));
            starts[i] = bytes.size();
            bytes.writeBytes(values.get(i) == null ? new byte[0] : ((String) values.get(i)).getBytes(UTF_8));
            ends[i] = bytes.size();
        }
        return TextColumn.slices(bytes.toByteArray(), starts, ends, nulls(values));
    }

    private TextColumn dictionary(List<Object> values) {
        List<Object> entries = new ArrayList<>(
                values.stream().filter(v -> v != null).distinct().toList());
        // One that no row has, and which must not count.
        entries.add("nowhere ß");
        int[] ids =
                values.stream().mapToInt(v -> Math.max(0, entries.indexOf(v))).toArray();
        TextColumn texts = random.nextBoolean() ? plain(entries) : slices(entries);
        return TextColumn.encoded(ids, texts, entries.size(), nulls(values));
    }

    private static ColumnRef ref(int column) {
        return new ColumnRef(column, "tunm".substring(column, column + 1), type(column));
    }

    private static DataType type(int column) {
        return column < NUMBER ? DataType.TEXT : DataType.INT;
    }

    private static List<Object> values(Column column, int rows, DataType type) {
        return IntStream.range(0, rows)
                .mapToObj(i -> Values.get(column, i, type))
                .toList();
    }

    /** Calls the function with columns, or with some arguments that are the same for all rows. */
    private void check(String call, OnStrings model, List<List<Object>> data, Batch batch) {
        String name = call.substring(0, call.indexOf(' '));
        int[] columns = call.substring(call.indexOf(' ') + 1)
                .chars()
                .map("tunm"::indexOf)
                .toArray();
        boolean fixed = random.nextBoolean();
        int text = name.equals("position") ? 1 : 0;
        List<List<Object>> argsByRow = new ArrayList<>();
        List<Expression> args = new ArrayList<>();
        for (int i = 0; i < columns.length; i++) {
            List<Object> values = data.get(columns[i]);
            if (fixed && i != text) {
                Object value = randomValue(columns[i], ANY);
                values = Collections.nCopies(batch.rowCount(), value);
                args.add(new Literal(value, type(columns[i])));
            } else {
                args.add(ref(columns[i]));
            }
            argsByRow.add(values);
        }
        if (name.equals("regexp_count")) {
            args.add(new Literal("a", DataType.TEXT));
        }
        List<Object> expected = new ArrayList<>();
        for (int row = 0; row < batch.rowCount(); row++) {
            int at = row;
            Object[] values = argsByRow.stream().map(v -> v.get(at)).toArray();
            expected.add(hasNull(values) ? null : model.apply(values));
        }
        Expression expression = Functions.call(name, args);
        Evaluator evaluator = new Evaluator();
        assertEquals(
                expected, values(evaluator.evaluate(expression, batch), batch.rowCount(), expression.type()), call);
        assertEquals(
                expected,
                values(evaluator.evaluateForNow(expression, batch), batch.rowCount(), expression.type()),
                call + " for now");
    }

    private static boolean hasNull(Object[] values) {
        return Arrays.stream(values).anyMatch(v -> v == null);
    }

    private List<List<Object>> data(int rows) {
        return IntStream.rangeClosed(TEXT, COUNT)
                .mapToObj(c -> randomColumn(c, rows))
                .toList();
    }

    private Batch batch(List<List<Object>> data) {
        Column[] columns = IntStream.range(0, data.size())
                .mapToObj(c -> column(c, data.get(c)))
                .toArray(Column[]::new);
        return new Batch(data.get(0).size(), columns);
    }

    @Test
    void textsGiveWhatStringsGive() {
        for (int seed = 0; seed < 3000; seed++) {
            random = new Random(seed);
            List<List<Object>> data = data(1 + random.nextInt(40));
            Batch batch = batch(data);
            for (Map.Entry<String, OnStrings> function : MODEL.entrySet()) {
                check(function.getKey(), function.getValue(), data, batch);
            }
        }
    }

    /** Parts of the same texts in any order, of which one that was cut before may help to find another. */
    @Test
    void aTextThatIsTakenApartGivesWhatItsPartsAre() {
        for (int seed = 0; seed < 1000; seed++) {
            random = new Random(seed);
            List<Object> texts = randomColumn(TEXT, 30);
            Column column = column(TEXT, texts);
            Evaluator evaluator = new Evaluator();
            for (int call = 0; call < 8; call++) {
                String separator = random.nextInt(4) == 0 ? "-" : ";";
                int number = 1 + random.nextInt(5);
                int rows = random.nextInt(3) == 0 ? 1 + random.nextInt(30) : 30;
                List<Object> expected = texts.subList(0, rows).stream()
                        .map(t -> t == null ? null : (Object) part((String) t, separator, number))
                        .toList();
                Expression cut = Functions.call(
                        "split_part",
                        List.of(ref(TEXT), new Literal(separator, DataType.TEXT), new Literal(number, DataType.INT)));
                Batch batch = new Batch(rows, column);
                Column made =
                        random.nextBoolean() ? evaluator.evaluate(cut, batch) : evaluator.evaluateForNow(cut, batch);
                assertEquals(expected, values(made, rows, DataType.TEXT), "seed " + seed + ", part " + number);
            }
        }
    }

    @Test
    void patternsMatchWhatTheirRegularExpressionsMatch() {
        String[] parts = {"%", "_", "a", "b", "Ä", "!", "😀", "%", "a"};
        int hits = 0;
        for (int seed = 0; seed < 4000; seed++) {
            random = new Random(seed);
            List<Object> texts = randomColumn(TEXT, 30);
            String pattern = randomText(parts, 6).replaceAll("!+$", "");
            boolean escapes = random.nextBoolean();
            Pattern regex = Pattern.compile(regex(pattern, escapes), Pattern.DOTALL);
            List<Object> expected = new ArrayList<>();
            for (Object text : texts) {
                expected.add(
                        text == null
                                ? null
                                : (Object) regex.matcher((String) text).matches());
            }
            hits += (int) expected.stream().filter(Boolean.TRUE::equals).count();
            Expression like = Functions.like(
                    ref(TEXT), new Literal(pattern, DataType.TEXT), escapes ? Optional.of("!") : Optional.empty());
            Batch batch = new Batch(30, column(TEXT, texts));
            assertEquals(expected, values(new Evaluator().evaluate(like, batch), 30, DataType.BOOLEAN), pattern);
        }
        assertTrue(hits > 5000, hits + " hits");
    }

    private static String regex(String pattern, boolean escapes) {
        StringBuilder out = new StringBuilder();
        boolean literally = false;
        for (int c : pattern.codePoints().toArray()) {
            if (escapes && !literally && c == '!') {
                literally = true;
                continue;
            }
            String any = c == '%' ? ".*" : c == '_' ? "." : null;
            out.append(literally || any == null ? Pattern.quote(Character.toString(c)) : any);
            literally = false;
        }
        return out.toString();
    }

    /** A text of a timestamp casts to its day. */
    private static Object cast(String text, DataType type) {
        Optional<Object> value = Parse.value(text, type);
        if (value.isPresent() || type != DataType.DATE) {
            return value.orElse(null);
        }
        return Parse.value(text, DataType.TIMESTAMP)
                .map(t -> LocalDate.ofInstant((Instant) t, ZoneOffset.UTC))
                .orElse(null);
    }

    @Test
    void textsAreReadAsTheRulesForSingleValuesSay() {
        List<DataType> types = List.of(
                DataType.INT,
                DataType.LONG,
                DataType.DOUBLE,
                DataType.BOOLEAN,
                DataType.DATE,
                DataType.TIMESTAMP,
                new DataType.Decimal(6, 2),
                new DataType.Decimal(30, 3));
        String[] good = {
            "7", "-12", " 3 ", "1.5", "1e3", "yes", "2031-03-02", "2031-03-02 08:15", "99999999999", "", "ß"
        };
        for (int seed = 0; seed < 2000; seed++) {
            random = new Random(seed);
            DataType type = types.get(random.nextInt(types.size()));
            List<Object> texts = new ArrayList<>();
            for (int i = 0; i < 25; i++) {
                texts.add(random.nextInt(5) == 0 ? null : good[random.nextInt(good.length - random.nextInt(2))]);
            }
            List<Object> expected = new ArrayList<>();
            texts.forEach(t -> expected.add(t == null ? null : cast((String) t, type)));
            Batch batch = new Batch(25, column(TEXT, texts));
            Expression orNull = Operators.cast(ref(TEXT), type, true);
            assertEquals(expected, values(new Evaluator().evaluate(orNull, batch), 25, type), type + " " + texts);
            failsForTheFirst(texts, expected, type, batch);
        }
    }

    private static void failsForTheFirst(List<Object> texts, List<Object> expected, DataType type, Batch batch) {
        int bad = IntStream.range(0, 25)
                .filter(i -> texts.get(i) != null && expected.get(i) == null)
                .findFirst()
                .orElse(-1);
        Expression strict = Operators.cast(ref(TEXT), type, false);
        if (bad < 0) {
            assertEquals(expected, values(new Evaluator().evaluate(strict, batch), 25, type));
            return;
        }
        BadData error = assertThrows(BadData.class, () -> new Evaluator().evaluate(strict, batch));
        String wanted = "'" + texts.get(bad) + "' does not fit " + type;
        assertTrue(error.getMessage().startsWith(wanted), error.getMessage() + " but wanted " + wanted);
    }

    @Test
    void wholeNumbersBecomeTheirDigits() {
        long[] numbers = {0, 7, -7, 10, -10, Integer.MAX_VALUE, Integer.MIN_VALUE, Long.MAX_VALUE, Long.MIN_VALUE};
        ColumnBuilder longs = ColumnBuilder.of(DataType.LONG);
        List<Object> expected = new ArrayList<>();
        for (long number : numbers) {
            longs.appendLong(number);
            expected.add(String.valueOf(number));
        }
        Batch batch = new Batch(numbers.length, longs.build());
        Expression cast = Operators.cast(new ColumnRef(0, "n", DataType.LONG), DataType.TEXT, false);
        assertEquals(expected, values(new Evaluator().evaluate(cast, batch), numbers.length, DataType.TEXT));
    }

    @Test
    void joiningWithASeparatorLeavesOutNulls() {
        for (int seed = 0; seed < 300; seed++) {
            random = new Random(seed);
            List<List<Object>> data = data(30);
            Batch batch = batch(data);
            Expression joined = Functions.call("concat_ws", List.of(ref(OTHER), ref(TEXT), ref(NUMBER), ref(OTHER)));
            List<Object> expected = new ArrayList<>();
            for (int i = 0; i < 30; i++) {
                int row = i;
                String separator = (String) data.get(OTHER).get(row);
                expected.add(
                        separator == null
                                ? null
                                : IntStream.of(TEXT, NUMBER, OTHER)
                                        .mapToObj(c -> data.get(c).get(row))
                                        .filter(v -> v != null)
                                        .map(Object::toString)
                                        .collect(Collectors.joining(separator)));
            }
            assertEquals(expected, values(new Evaluator().evaluate(joined, batch), 30, DataType.TEXT));
        }
    }

    @Test
    void aNegativeLengthFailsOnlyWhereThereIsAText() {
        Expression negative = Functions.call(
                "substring", List.of(ref(TEXT), new Literal(1, DataType.INT), new Literal(-1, DataType.INT)));
        TextColumn none = TextColumn.constant("abc", 2).withNulls(new long[] {3});
        assertEquals(
                Arrays.asList(null, null),
                values(new Evaluator().evaluate(negative, new Batch(2, none)), 2, DataType.TEXT));
        Batch some = new Batch(2, TextColumn.constant("abc", 2));
        BadData error = assertThrows(BadData.class, () -> new Evaluator().evaluate(negative, some));
        assertEquals(
                "negative length -1 in substring(t, 1, -1), for the row with t = 'abc'; filter such rows",
                error.getMessage());
    }

    @Test
    void decimalsOfTextAreExact() {
        Batch batch = new Batch(2, plain(List.of("12.3", "-0.5")));
        Expression cast = Operators.cast(ref(TEXT), new DataType.Decimal(4, 1), false);
        assertEquals(
                List.of(new BigDecimal("12.3"), new BigDecimal("-0.5")),
                values(new Evaluator().evaluate(cast, batch), 2, cast.type()));
    }
}
