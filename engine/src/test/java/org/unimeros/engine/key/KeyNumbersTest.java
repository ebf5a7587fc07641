package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;

class KeyNumbersTest {

    private static final List<DataType> TYPES = List.of(DataType.TEXT, DataType.INT);

    private static Batch batch(Random random, int rows, int depots) {
        BatchBuilder builder = new BatchBuilder(TYPES);
        for (int i = 0; i < rows; i++) {
            if (random.nextInt(9) == 0) {
                builder.column(0).appendNull();
            } else {
                builder.column(0).appendText("D" + random.nextInt(depots));
            }
            builder.column(1).appendInt(random.nextInt(4));
            builder.endRow();
        }
        return builder.build();
    }

    @Test
    void everyRowIsHandedOutOnceWithTheRowsOfItsValueInOrder() {
        Random random = new Random(9);
        KeyNumbers numbers = new KeyNumbers(TYPES);
        Map<List<Object>, Integer> known = new LinkedHashMap<>();
        for (int round = 0; round < 30; round++) {
            int rows = 1 + random.nextInt(9000);
            Batch batch = batch(random, rows, 1 + 20 * round);
            Map<List<Object>, List<Integer>> expected = new LinkedHashMap<>();
            for (int i = 0; i < rows; i++) {
                List<Object> value = Arrays.asList(
                        Values.get(batch.column(0), i, TYPES.get(0)), Values.get(batch.column(1), i, TYPES.get(1)));
                known.computeIfAbsent(value, v -> known.size());
                expected.computeIfAbsent(value, v -> new ArrayList<>()).add(i);
            }
            Map<List<Object>, List<Integer>> got = new LinkedHashMap<>();
            numbers.divide(new Column[] {batch.column(0), batch.column(1)}, rows, (number, order, from, end) -> {
                List<Object> value = numbers.values(number);
                assertEquals(known.get(value), number);
                List<Integer> mine = got.computeIfAbsent(value, v -> new ArrayList<>());
                assertTrue(mine.isEmpty(), "a value came twice");
                for (int i = from; i < end; i++) {
                    mine.add(order[i]);
                }
            });
            assertEquals(expected, got);
        }
    }
}
