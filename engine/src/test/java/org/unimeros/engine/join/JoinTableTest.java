package org.unimeros.engine.join;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.key.JointWork;
import org.unimeros.engine.spill.Chunk;

class JoinTableTest {

    private static final int ROWS = 40_000;

    /** More rows than the number of keys is guessed from, with many keys and few, none that repeats, and nulls among them. */
    @ParameterizedTest
    @CsvSource({"LONG, 2147483647", "LONG, 30000", "LONG, 50", "INT, 30000", "TEXT, 2147483647", "TEXT, 50"})
    void everyRowIsFoundByItsKeyInTheOrderInWhichItCame(DataType.Simple type, int keys) {
        Random random = new Random(31);
        Schema schema = new Schema(List.of(Field.of("parcel", type), Field.of("place", DataType.LONG)));
        Map<Object, List<Long>> expected = new HashMap<>();
        List<Chunk> chunks = new ArrayList<>();
        BatchBuilder builder = new BatchBuilder(schema);
        for (long place = 0; place < ROWS; place++) {
            Object key = keys < ROWS && random.nextInt(20) == 0 ? null : key(type, random.nextInt(keys));
            Values.append(builder.column(0), key);
            builder.column(1).appendLong(place);
            builder.endRow();
            if (key != null) {
                expected.computeIfAbsent(key, k -> new ArrayList<>()).add(place);
            }
            if (builder.rowCount() == 1000) {
                chunks.add(Chunk.inMemory(builder.build()));
            }
        }
        List<Expression> keyOf = List.of(new ColumnRef(0, "parcel", type));
        JoinTable table = JoinTable.build(chunks, schema, keyOf);

        List<Object> asked = new ArrayList<>(expected.keySet());
        asked.add(key(type, -7));
        BatchBuilder probe = new BatchBuilder(List.of(type));
        asked.forEach(key -> {
            Values.append(probe.column(0), key);
            probe.endRow();
        });
        Batch probes = probe.build();
        int[] found = new int[asked.size()];
        table.prober().find(new Column[] {probes.column(0)}, found.length, found);
        long[] places = ((LongColumn) table.rows().column(1)).values();
        for (int i = 0; i < found.length; i++) {
            List<Long> there = new ArrayList<>();
            for (int at = found[i] < 0 ? 0 : table.start(found[i]); found[i] >= 0 && at < table.end(found[i]); at++) {
                there.add(places[at]);
            }
            assertEquals(expected.getOrDefault(asked.get(i), List.of()), there);
        }
    }

    /** Until the last row every key is new, and the table does not yet know that it must keep which rows have which. */
    @ParameterizedTest
    @ValueSource(longs = {5 * 7919L, -1})
    void aKeyThatComesAgainAtTheVeryEndIsFoundInBothRows(long last) {
        BatchBuilder builder = new BatchBuilder(List.of(DataType.LONG));
        for (long row = 0; row < ROWS; row++) {
            builder.column(0).appendLong(row == ROWS - 1 ? last : row * 7919L);
            builder.endRow();
        }
        Schema schema = new Schema(List.of(Field.of("parcel", DataType.LONG)));
        JoinTable table = JoinTable.build(
                List.of(Chunk.inMemory(builder.build())), schema, List.of(new ColumnRef(0, "parcel", DataType.LONG)));
        long[] keys = ((LongColumn) table.rows().column(0)).values();
        int[] found = new int[3];
        table.prober().find(new Column[] {new LongColumn(new long[] {5 * 7919L, last, 6 * 7919L}, null)}, 3, found);
        for (int i = 0; i < 2; i++) {
            long key = i == 0 ? 5 * 7919L : last;
            assertEquals(last < 0 ? 1 : 2, table.end(found[i]) - table.start(found[i]));
            assertEquals(key, keys[table.start(found[i])]);
            assertEquals(key, keys[table.end(found[i]) - 1]);
        }
        assertEquals(1, table.end(found[2]) - table.start(found[2]));
        assertEquals(last < 0, table.isUnique());
    }

    /** Tables that are not in a processor's cache are put in the order of their keys. */
    @ParameterizedTest
    @CsvSource({"2147483647, false", "2147483647, true", "900000, false", "900000, true", "200000, true"})
    void aLargeTableForManyRowsFindsWhatASmallOneFinds(int most, boolean withNulls) {
        int n = 700_000;
        Random random = new Random(37);
        long[] keys = new long[n];
        long[] places = new long[n];
        long[] nulls = withNulls ? Bits.make(n) : null;
        Map<Long, List<Long>> expected = new HashMap<>();
        for (int row = 0; row < n; row++) {
            keys[row] = (most > n ? row - 3L : random.nextInt(2 * most)) * 7919L;
            places[row] = row;
            if (withNulls && random.nextInt(9) == 0) {
                Bits.set(nulls, row);
            } else {
                expected.computeIfAbsent(keys[row], k -> new ArrayList<>()).add((long) row);
            }
        }
        Schema schema = new Schema(List.of(Field.of("parcel", DataType.LONG), Field.of("place", DataType.LONG)));
        Batch rows = new Batch(n, new LongColumn(keys, nulls), new LongColumn(places, null));
        List<Expression> keyOf = List.of(new ColumnRef(0, "parcel", DataType.LONG));
        JoinTable table =
                JoinTable.buildForMany(List.of(Chunk.inMemory(rows)), schema, keyOf, new Evaluator(), new JointWork());

        assertEquals(most > n, table.isUnique());
        long[] asked = new long[5000];
        long[] askedNulls = Bits.make(asked.length);
        for (int i = 0; i < asked.length; i++) {
            asked[i] = random.nextInt(2 * n) * 7919L;
        }
        Bits.set(askedNulls, 17);
        int[] found = new int[asked.length];
        table.prober().find(new Column[] {new LongColumn(asked, askedNulls)}, asked.length, found);
        long[] inOrder = ((LongColumn) table.rows().column(1)).values();
        for (int i = 0; i < asked.length; i++) {
            List<Long> there = new ArrayList<>();
            for (int at = found[i] < 0 ? 0 : table.start(found[i]); found[i] >= 0 && at < table.end(found[i]); at++) {
                there.add(inOrder[at]);
            }
            assertEquals(i == 17 ? List.of() : expected.getOrDefault(asked[i], List.of()), there);
        }
    }

    private static Object key(DataType.Simple type, int number) {
        return switch (type) {
            case INT -> number;
            case LONG -> number * 7919L;
            default -> "P" + number;
        };
    }
}
