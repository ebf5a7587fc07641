package org.unimeros.code;

/** Combiners that are often wanted; what they do is known, so that they are faster than the same written as a function. */
public final class Combiners {

    private Combiners() {}

    /**
     * Adds whole numbers: counts, or sums of what mappers give. A sum that does not fit into a long is an error that names the key.
     */
    public static <K> Combiner<K, Long> sum() {
        return new Sum<>();
    }

    /** See {@link #sum}. */
    public static final class Sum<K> implements Combiner<K, Long> {
        private static final long serialVersionUID = 1;

        private Sum() {}

        @Override
        public void combine(K key, Iterable<Long> values, Out<Long> out) {
            long sum = 0;
            for (long value : values) {
                sum = Math.addExact(sum, value);
            }
            out.add(sum);
        }
    }
}
