package org.unimeros;

import java.util.Arrays;
import org.unimeros.engine.record.RecordShape;
import org.unimeros.engine.record.TextSlice;

/** Keys by number, in the form in which they are compared fastest. Used by one thread. */
abstract sealed class KeptKeys {

    static KeptKeys of(RecordShape<Object> shape) {
        return (Class<?>) shape.type() == TextSlice.class ? new Texts() : new Objects(shape);
    }

    /** Whether a key is the one of a number. */
    abstract boolean isAt(int number, Object key);

    /** Keeps a key; numbers are given one after the other. */
    abstract void keep(int number, Object key);

    abstract Object key(int number);

    /** Lets go of the first {@code size} keys. */
    abstract void clear(int size);

    private static final class Objects extends KeptKeys {
        private final RecordShape<Object> shape;
        private Object[] keys = new Object[1 << 9];

        Objects(RecordShape<Object> shape) {
            this.shape = shape;
        }

        @Override
        boolean isAt(int number, Object key) {
            return shape.same(keys[number], key);
        }

        @Override
        void keep(int number, Object key) {
            if (number == keys.length) {
                keys = Arrays.copyOf(keys, 2 * number);
            }
            keys[number] = key;
        }

        @Override
        Object key(int number) {
            return keys[number];
        }

        @Override
        void clear(int size) {
            Arrays.fill(keys, 0, size, null);
        }
    }

    /** The bytes of all keys in one array, each from a multiple of eight on and with zeros behind it, so that whole words are compared. */
    private static final class Texts extends KeptKeys {
        private byte[] bytes = new byte[1 << 13];
        /** Where a key begins, and behind that how long it is. */
        private int[] places = new int[2 << 9];

        private int end;

        @Override
        boolean isAt(int number, Object key) {
            TextSlice text = (TextSlice) key;
            return text.length() == places[2 * number + 1] && text.isAt(bytes, places[2 * number]);
        }

        @Override
        void keep(int number, Object key) {
            TextSlice text = (TextSlice) key;
            int next = end + (text.length() + Long.BYTES - 1 & -Long.BYTES);
            if (next > bytes.length) {
                bytes = Arrays.copyOf(bytes, Math.max(next, 2 * bytes.length));
            }
            if (2 * number == places.length) {
                places = Arrays.copyOf(places, 4 * number);
            }
            text.copyTo(bytes, end);
            places[2 * number] = end;
            places[2 * number + 1] = text.length();
            end = next;
        }

        @Override
        Object key(int number) {
            return TextSlice.of(bytes, places[2 * number], places[2 * number + 1]);
        }

        @Override
        void clear(int size) {
            // What was made of the bytes may still be in use.
            bytes = new byte[bytes.length];
            end = 0;
        }
    }
}
