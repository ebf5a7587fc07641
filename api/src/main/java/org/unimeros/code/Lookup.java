package org.unimeros.code;

import java.io.Serializable;
import java.util.HashMap;
import java.util.Map;
import java.util.UUID;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.Shareable;
import org.unimeros.engine.record.RecordShape;
import org.unimeros.engine.spill.Blocks;

/**
 * A map that functions look values up in. Functions that hold one bring it to where they run; each process there has it once. It cannot
 * be changed. Made by {@link org.unimeros.Engine#lookup}.
 *
 * @param <K> a record or a value type with a sensible {@code equals}
 * @param <V> a record or a value type
 */
public final class Lookup<K, V> implements Serializable {

    private static final long serialVersionUID = 1;

    private final transient Map<K, V> values;
    private final transient Form form;

    private Lookup(Map<K, V> values, Form form) {
        this.values = values;
        this.form = form;
    }

    /**
     * A lookup of some values.
     *
     * @param mostBytes it must not be larger, compressed
     * @throws UserMistake when it is
     */
    public static <K, V> Lookup<K, V> of(Class<K> key, Class<V> value, Map<K, V> values, long mostBytes) {
        RecordShape<K> keys = RecordShape.of(key);
        RecordShape<V> found = RecordShape.of(value);
        Schema schema = schema(keys, found);
        BatchBuilder builder = new BatchBuilder(schema);
        values.forEach((k, v) -> {
            keys.append(builder, 0, k);
            found.append(builder, keys.schema().size(), v);
            builder.endRow();
        });
        byte[] block = Blocks.encode(builder.build());
        if (block.length > mostBytes) {
            throw new UserMistake("a lookup of " + values.size() + " keys takes " + block.length + " bytes, more than "
                    + mostBytes + "; join the rows instead, or raise lookup.limit");
        }
        return new Lookup<>(
                Map.copyOf(values), new Form(UUID.randomUUID().toString(), key, value, values.size(), block));
    }

    private static Schema schema(RecordShape<?> keys, RecordShape<?> values) {
        return new Schema(java.util.stream.Stream.concat(
                        keys.schema("key").fields().stream(), values.schema("value").fields().stream())
                .map(f -> Field.of(f.fullName(), f.type()))
                .toList());
    }

    /** The value of a key; null when there is none. */
    public V get(K key) {
        return values.get(key);
    }

    /** The value of a key, or another one when there is none. */
    public V getOrDefault(K key, V otherwise) {
        return values.getOrDefault(key, otherwise);
    }

    public boolean has(K key) {
        return values.containsKey(key);
    }

    public int size() {
        return values.size();
    }

    private Object writeReplace() {
        return form;
    }

    /** How it travels. */
    private record Form(String key, Class<?> keys, Class<?> found, int size, byte[] block) implements Shareable {
        @Override
        public Object open() {
            return opened(keys, found);
        }

        private <K, V> Lookup<K, V> opened(Class<K> keyType, Class<V> valueType) {
            RecordShape<K> ofKey = RecordShape.of(keyType);
            RecordShape<V> ofValue = RecordShape.of(valueType);
            int keyColumns = ofKey.schema().size();
            Schema schema = schema(ofKey, ofValue);
            RecordShape.Reader<K> keyReader =
                    ofKey.reader(new Schema(schema.fields().subList(0, keyColumns)));
            RecordShape.Reader<V> valueReader =
                    ofValue.reader(new Schema(schema.fields().subList(keyColumns, schema.size())));
            Batch batch = Blocks.decode(block, block.length);
            keyReader.use(batch, 0);
            valueReader.use(batch, keyColumns);
            Map<K, V> values = HashMap.newHashMap(size);
            for (int row = 0; row < size; row++) {
                values.put(keyReader.read(row), valueReader.read(row));
            }
            return new Lookup<>(values, this);
        }
    }
}
