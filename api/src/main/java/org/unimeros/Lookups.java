package org.unimeros;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.code.Lookup;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.record.RecordShape;

/** Makes lookups of rows. */
final class Lookups {

    private Lookups() {}

    static <K, V> Lookup<K, V> of(Rows rows, Class<K> key, Class<V> value, long mostBytes) {
        RecordShape<K> keys = RecordShape.of(key);
        RecordShape<V> values = RecordShape.of(value);
        Schema schema = rows.schema();
        List<Integer> keyColumns = columns(keys, key, schema, 0);
        List<Integer> valueColumns = columns(values, value, schema, 1);
        Result result = rows.fetch();
        RecordShape.Reader<K> keyReader = keys.reader(pick(schema, keyColumns));
        RecordShape.Reader<V> valueReader = values.reader(pick(schema, valueColumns));
        Map<K, V> all = HashMap.newHashMap(result.size());
        result.forEachBatch(batch -> {
            keyReader.use(batch.pick(array(keyColumns)), 0);
            valueReader.use(batch.pick(array(valueColumns)), 0);
            for (int row = 0; row < batch.rowCount(); row++) {
                add(all, keyReader.read(row), valueReader.read(row));
            }
        });
        return Lookup.of(key, value, all, mostBytes);
    }

    private static <K, V> void add(Map<K, V> all, K key, V value) {
        if (key == null || value == null) {
            throw new BadData("a lookup has a " + (key == null ? "key" : "value of the key " + key)
                    + " that is null; leave such rows out");
        }
        V before = all.put(key, value);
        if (before != null) {
            throw new BadData("a lookup has the key " + key + " twice, with " + before + " and " + value
                    + "; make the rows distinct first");
        }
    }

    private static List<Integer> columns(RecordShape<?> shape, Class<?> type, Schema schema, int place) {
        if (type.isRecord()) {
            return shape.columnsIn(schema);
        }
        if (place >= schema.size()) {
            throw new UserMistake("a lookup needs a column for its keys and one for its values");
        }
        shape.columnsIn(new Schema(List.of(schema.field(place))));
        return List.of(place);
    }

    private static Schema pick(Schema schema, List<Integer> columns) {
        return new Schema(columns.stream().map(schema::field).toList());
    }

    private static int[] array(List<Integer> columns) {
        return columns.stream().mapToInt(i -> i).toArray();
    }
}
