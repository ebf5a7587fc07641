package org.unimeros;

import java.util.Arrays;
import java.util.Iterator;
import java.util.NoSuchElementException;
import org.unimeros.code.Combiner;
import org.unimeros.code.Combiners;
import org.unimeros.code.Out;
import org.unimeros.code.Pairs;
import org.unimeros.engine.record.RecordShape;

/**
 * Combines pairs while they are still the objects that the mapper made, before there are columns of them. Where that hardly makes pairs fewer, all
 * that follow are passed on as they are. Used by one thread.
 */
abstract sealed class EarlyCombiner {

    private static final int MOST_KEYS = 1 << 16;
    /** About what a key takes with its places and values, but for its text. */
    private static final int BYTES_PER_KEY = 320;

    private static final int LEAST_KEYS = 8;
    /** Beyond this share of pairs that are left it does not pay. */
    private static final double WORTHWHILE = 0.5;
    /** Pairs after which that can be told. */
    private static final int ENOUGH = 1 << 12;

    final Rows rows;
    final KeyNumbers keys;
    private final Object[] waitingKeys = new Object[KeyNumbers.TOGETHER];
    private final int[] waitingReducers = new int[KeyNumbers.TOGETHER];
    private final int[] numbers = new int[KeyNumbers.TOGETHER];
    private int waiting;
    private long taken;
    private long left;
    private boolean passesOn;

    /** Takes what is left. */
    @FunctionalInterface
    interface Rows {
        void append(Object key, Object value, int reducer);
    }

    private EarlyCombiner(RecordShape<Object> shape, long memory, Rows rows) {
        this.rows = rows;
        int mostKeys = (int) Math.min(MOST_KEYS, memory / 4 / BYTES_PER_KEY);
        this.keys = new KeyNumbers(shape, mostKeys, Math.min(1L << 24, memory / 4));
        this.passesOn = mostKeys < LEAST_KEYS;
    }

    /** @param memory bytes that may be held */
    static EarlyCombiner of(Combiner<Object, Object> code, RecordShape<Object> shape, long memory, Rows rows) {
        boolean adds = (Combiner<?, ?>) code instanceof Combiners.Sum<?>;
        return adds ? new Sums(shape, memory, rows) : new Lists(code, shape, memory, rows);
    }

    /**
     * Whether pairs of these classes can be combined by a combiner as objects: when objects are as good as their columns, do not grow, and the
     * combiner gives what it makes at once.
     */
    static boolean suits(Combiner<?, ?> combiner, Class<?> key, Class<?> value) {
        return combiner != null
                && combiner.pairsAtOnce() <= 1 << 14
                && givesAllAtOnce(combiner)
                && RecordShape.of(key).isPlain()
                && RecordShape.of(value).isOfFixedSize();
    }

    private static boolean givesAllAtOnce(Combiner<?, ?> combiner) {
        try {
            return combiner.getClass().getMethod("finishRun", Pairs.class).getDeclaringClass() == Combiner.class;
        } catch (NoSuchMethodException e) {
            return false;
        }
    }

    final void add(Object key, Object value, int reducer) {
        if (passesOn) {
            rows.append(key, value, reducer);
            return;
        }
        int at = waiting++;
        waitingKeys[at] = key;
        waitingReducers[at] = reducer;
        await(at, value);
        if (waiting == KeyNumbers.TOGETHER) {
            takeWaiting();
        }
    }

    private void takeWaiting() {
        int count = waiting;
        waiting = 0;
        taken += count;
        keys.find(waitingKeys, waitingReducers, count, numbers);
        boolean valid = true;
        for (int i = 0; i < count; i++) {
            int number = valid && numbers[i] != KeyNumbers.NONE ? numbers[i] : numberOf(i);
            if (number == KeyNumbers.NONE) {
                flushHeld();
                valid = false;
                passOn(waitingKeys[i], waited(i), waitingReducers[i]);
            } else {
                hold(number, i);
            }
        }
    }

    private int numberOf(int i) {
        if (passesOn) {
            return KeyNumbers.NONE;
        }
        int before = keys.size();
        int number = keys.numberOf(waitingKeys[i], waitingReducers[i]);
        if (keys.size() > before) {
            begin(number);
        }
        return number;
    }

    /** Hands on a pair that is not combined any more. */
    final void passOn(Object key, Object value, int reducer) {
        left++;
        rows.append(key, value, reducer);
    }

    /** Combines no more when that leaves most of the pairs. */
    final void giveWay() {
        passesOn |= taken > ENOUGH && left > WORTHWHILE * taken;
    }

    /** Passes on all that is held. */
    final void flush() {
        takeWaiting();
        flushHeld();
    }

    private void flushHeld() {
        if (keys.size() == 0) {
            return;
        }
        for (int number = 0; number < keys.size(); number++) {
            give(number);
        }
        giveWay();
        keys.clear();
    }

    /** Notes the value of a pair that waits. */
    abstract void await(int at, Object value);

    /** The value of a pair that waited. */
    abstract Object waited(int at);

    /** Makes room for the values of a new key. */
    abstract void begin(int number);

    /** Takes the value of a pair that waited to those of its key. */
    abstract void hold(int number, int at);

    /** Passes on what there is of a key. */
    abstract void give(int number);

    /** Each key has a sum. */
    private static final class Sums extends EarlyCombiner {
        private final long[] waitingValues = new long[KeyNumbers.TOGETHER];
        private long[] sums = new long[1 << 9];

        Sums(RecordShape<Object> shape, long memory, Rows rows) {
            super(shape, memory, rows);
        }

        @Override
        void await(int at, Object value) {
            waitingValues[at] = (Long) value;
        }

        @Override
        Object waited(int at) {
            return waitingValues[at];
        }

        @Override
        void begin(int number) {
            if (number == sums.length) {
                sums = Arrays.copyOf(sums, 2 * number);
            }
            sums[number] = 0;
        }

        @Override
        void hold(int number, int at) {
            long sum = sums[number];
            long value = waitingValues[at];
            long result = sum + value;
            if (((sum ^ result) & (value ^ result)) < 0) {
                throw OwnFailure.of(
                        "combiner", "the key " + keys.key(number), new ArithmeticException("long overflow"));
            }
            sums[number] = result;
        }

        @Override
        void give(int number) {
            passOn(keys.key(number), sums[number], keys.reducer(number));
        }
    }

    /** Each key holds a few values, which the combiner makes fewer of when there is no place for one more. */
    private static final class Lists extends EarlyCombiner {

        /** Values that a key holds. */
        private static final int HELD = 8;

        private final Combiner<Object, Object> code;
        private final Held held = new Held();
        private final Object[] waitingValues = new Object[KeyNumbers.TOGETHER];
        private int[] counts = new int[1 << 9];
        private Object[] values = new Object[HELD << 9];

        Lists(Combiner<Object, Object> code, RecordShape<Object> shape, long memory, Rows rows) {
            super(shape, memory, rows);
            this.code = code;
        }

        @Override
        void await(int at, Object value) {
            waitingValues[at] = value;
        }

        @Override
        Object waited(int at) {
            return waitingValues[at];
        }

        @Override
        void begin(int number) {
            if (number == counts.length) {
                counts = Arrays.copyOf(counts, 2 * number);
                values = Arrays.copyOf(values, 2 * number * HELD);
            }
            counts[number] = 0;
        }

        @Override
        void hold(int number, int at) {
            if (counts[number] == HELD) {
                combine(number);
                if (counts[number] > HELD / 2) {
                    giveAll(number);
                    giveWay();
                }
            }
            values[HELD * number + counts[number]++] = waitingValues[at];
        }

        /** Lets the combiner make fewer of the values of a key, in their place. */
        private void combine(int number) {
            held.begin(number);
            try {
                code.combine(keys.key(number), held, held);
            } catch (Exception e) {
                throw OwnFailure.of("combiner", "the key " + keys.key(number), e);
            }
            counts[number] = held.made;
        }

        @Override
        void give(int number) {
            if (counts[number] > 1) {
                combine(number);
            }
            giveAll(number);
        }

        private void giveAll(int number) {
            for (int i = 0; i < counts[number]; i++) {
                passOn(keys.key(number), values[HELD * number + i], keys.reducer(number));
            }
            counts[number] = 0;
        }

        /** The values of a key, which the combiner goes through once, and what it makes of them. */
        private final class Held implements Iterable<Object>, Iterator<Object>, Out<Object> {
            private int number;
            private int start;
            private int end;
            private int next;
            private int made;
            private boolean begun;

            void begin(int key) {
                number = key;
                start = HELD * key;
                end = start + counts[key];
                next = start;
                made = 0;
                begun = false;
            }

            @Override
            public Iterator<Object> iterator() {
                if (begun) {
                    throw new IllegalStateException(ReduceCode.ONCE);
                }
                begun = true;
                return this;
            }

            @Override
            public boolean hasNext() {
                return next < end;
            }

            @Override
            public Object next() {
                if (next >= end) {
                    throw new NoSuchElementException();
                }
                return values[next++];
            }

            /** A value takes the place of one that was read; those that find none are passed on. */
            @Override
            public void add(Object value) {
                if (start + made < next) {
                    values[start + made++] = value;
                } else {
                    passOn(keys.key(number), value, keys.reducer(number));
                }
            }
        }
    }
}
