package org.unimeros.engine.expr;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Function;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Cast;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

/**
 * The values of a {@code case} made for all rows of a batch at once, each result put over those of later branches: for results, and conditions of
 * further branches, that cannot fail and cost less than to find out which rows need them. Texts that are literals come as numbers in a
 * dictionary. Not thread-safe.
 */
final class LayeredCase {

    private static final int MOST_BRANCHES = 8;

    private final Case choice;
    /** Of each branch and of what is chosen otherwise, for texts; null for numbers. */
    private final int[] numbers;
    /** The texts by number. */
    private final TextColumn texts;

    private LayeredCase(Case choice, int[] numbers, TextColumn texts) {
        this.choice = choice;
        this.numbers = numbers;
        this.texts = texts;
    }

    /** Null where rows have to be told apart first. */
    static LayeredCase of(Case choice) {
        int branches = choice.branches().size();
        boolean cheapConditions = branches == 1
                || branches <= MOST_BRANCHES && choice.branches().stream().allMatch(b -> isCheap(b.condition()));
        if (!cheapConditions) {
            return null;
        }
        List<Expression> results = new ArrayList<>();
        choice.branches().forEach(b -> results.add(b.result()));
        results.add(choice.otherwise());
        return switch (choice.type().physical()) {
            case INTS, LONGS, DOUBLES ->
                results.stream().allMatch(LayeredCase::isCheap) ? new LayeredCase(choice, null, null) : null;
            case BYTES -> ofTexts(choice, results);
            default -> null;
        };
    }

    private static boolean isCheap(Expression e) {
        if (e.canFail() || Expressions.hasOwnCode(e)) {
            return false;
        }
        return switch (e) {
            case ColumnRef ref -> true;
            case Literal literal -> true;
            case Call call -> call.args().stream().allMatch(a -> a instanceof ColumnRef || a instanceof Literal);
            case Cast cast -> cast.operand() instanceof ColumnRef;
            default -> e.children().stream().allMatch(LayeredCase::isCheap);
        };
    }

    private static LayeredCase ofTexts(Case choice, List<Expression> results) {
        List<String> different = new ArrayList<>();
        int[] numbers = new int[results.size()];
        for (int i = 0; i < numbers.length; i++) {
            Object value = results.get(i) instanceof Literal literal ? literal.value() : choice;
            if (value != null && !(value instanceof String)) {
                return null;
            }
            numbers[i] = value == null ? -1 : different.indexOf(value);
            if (value != null && numbers[i] < 0) {
                numbers[i] = different.size();
                different.add((String) value);
            }
        }
        if (different.isEmpty()) {
            return null;
        }
        ColumnBuilder texts = ColumnBuilder.of(DataType.TEXT);
        for (String text : different) {
            byte[] utf8 = text.getBytes(UTF_8);
            texts.appendText(utf8, 0, utf8.length);
        }
        return new LayeredCase(choice, numbers, (TextColumn) texts.build());
    }

    /**
     * The values.
     *
     * @param hits for which rows the condition of each branch is true
     * @param values gives a result for all rows
     */
    Column column(long[][] hits, Function<Expression, Column> values, int rows) {
        if (texts != null) {
            return texts(hits, rows);
        }
        Column[] results = new Column[hits.length + 1];
        for (int b = 0; b < hits.length; b++) {
            results[b] = values.apply(choice.branches().get(b).result());
        }
        results[hits.length] = values.apply(choice.otherwise());
        long[] nulls = nulls(hits, results, rows);
        return switch (results[hits.length]) {
            case IntColumn c -> {
                int[] out = Arrays.copyOf(c.values(), rows);
                for (int b = hits.length - 1; b >= 0; b--) {
                    put(((IntColumn) results[b]).values(), hits[b], out);
                }
                yield new IntColumn(out, nulls);
            }
            case LongColumn c -> {
                long[] out = Arrays.copyOf(c.values(), rows);
                for (int b = hits.length - 1; b >= 0; b--) {
                    put(((LongColumn) results[b]).values(), hits[b], out);
                }
                yield new LongColumn(out, nulls);
            }
            case DoubleColumn c -> {
                double[] out = Arrays.copyOf(c.values(), rows);
                for (int b = hits.length - 1; b >= 0; b--) {
                    put(((DoubleColumn) results[b]).values(), hits[b], out);
                }
                yield new DoubleColumn(out, nulls);
            }
            default -> throw new IllegalStateException("no numbers: " + choice);
        };
    }

    private static void put(int[] values, long[] hits, int[] out) {
        for (int i = 0; i < out.length; i++) {
            int mask = -(int) (hits[i >>> 6] >>> i & 1);
            out[i] = values[i] & mask | out[i] & ~mask;
        }
    }

    private static void put(long[] values, long[] hits, long[] out) {
        for (int i = 0; i < out.length; i++) {
            long mask = -(hits[i >>> 6] >>> i & 1);
            out[i] = values[i] & mask | out[i] & ~mask;
        }
    }

    private static void put(double[] values, long[] hits, double[] out) {
        for (int i = 0; i < out.length; i++) {
            out[i] = (hits[i >>> 6] >>> i & 1) != 0 ? values[i] : out[i];
        }
    }

    private Column texts(long[][] hits, int rows) {
        int[] out = new int[rows];
        Arrays.fill(out, Math.max(0, numbers[hits.length]));
        long[] nulls = Bits.make(rows);
        Arrays.fill(nulls, numbers[hits.length] < 0 ? -1L : 0);
        for (int b = hits.length - 1; b >= 0; b--) {
            int number = Math.max(0, numbers[b]);
            for (int i = 0; i < rows; i++) {
                int mask = -(int) (hits[b][i >>> 6] >>> i & 1);
                out[i] = number & mask | out[i] & ~mask;
            }
            for (int w = 0; w < Bits.words(rows); w++) {
                nulls[w] = numbers[b] < 0 ? nulls[w] | hits[b][w] : nulls[w] & ~hits[b][w];
            }
        }
        return TextColumn.encoded(out, texts, count(), Bits.any(nulls, rows) ? nulls : null);
    }

    private int count() {
        return Arrays.stream(numbers).max().orElseThrow() + 1;
    }

    /** The nulls of the results that rows have. */
    private static long[] nulls(long[][] hits, Column[] results, int rows) {
        boolean hasNulls = false;
        for (Column result : results) {
            hasNulls |= result.nulls() != null;
        }
        if (!hasNulls) {
            return null;
        }
        int words = Bits.words(rows);
        long[] nulls = new long[words];
        for (int b = results.length - 1; b >= 0; b--) {
            long[] own = results[b].nulls();
            for (int w = 0; w < words; w++) {
                long here = b == hits.length ? -1L : hits[b][w];
                nulls[w] = nulls[w] & ~here | (own == null ? 0 : own[w] & here);
            }
        }
        return Bits.any(nulls, rows) ? nulls : null;
    }
}
