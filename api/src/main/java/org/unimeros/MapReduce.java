package org.unimeros;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.unimeros.RecordChain.ToPairs;
import org.unimeros.code.Combiner;
import org.unimeros.code.Mapper;
import org.unimeros.code.Partitioner;
import org.unimeros.code.Reducer;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Division;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.record.RecordShape;

/**
 * Keys and values that a mapper makes, and how they come to reducers. Each key comes to exactly one reducer, which gets its keys in order
 * and the values of each as a stream that can be larger than memory. Reducers begin when all mappers are done.
 *
 * <pre>{@code
 * engine.read("notes")
 *         .as(Note.class)
 *         .mapReduce(String.class, Long.class, (note, out) -> {
 *             for (String word : note.text().split(" ")) {
 *                 out.add(word, 1L);
 *             }
 *         })
 *         .combine((word, counts, out) -> out.add(sum(counts)))
 *         .reducers(4)
 *         .reduce(WordCount.class, (word, counts, out) -> out.add(new WordCount(word, sum(counts))))
 *         .write("out/words", as -> as.csv());
 * }</pre>
 *
 * <p>Immutable; every call gives a new one.
 *
 * @param <K> the class of keys: a record or a value type
 * @param <V> the class of values
 */
public final class MapReduce<K, V> {

    private static final String KEY = "key";
    private static final String NUMBER = "reducer";
    private static final int MOST_REDUCERS = 10_000;

    private final Input<K, V> input;
    private final How how;

    /** Where keys and values come from. */
    private record Input<K, V>(
            Engine engine,
            String title,
            Plan source,
            RecordChain chain,
            Class<K> key,
            Class<V> value,
            Mapper<Object, Object, Object> mapper) {
        /** Keys, then values. */
        Schema pairs() {
            return RecordShape.of(key).schema(KEY).concat(RecordShape.of(value).schema(RecordShape.VALUE));
        }

        int keyColumns() {
            return RecordShape.of(key).schema().size();
        }
    }

    /** What was said of the way. */
    private record How(
            int reducers,
            Partitioner<Object, Object> partitioner,
            boolean byRange,
            Combiner<Object, Object> combiner,
            List<SortKey> keyOrder,
            List<SortKey> valueOrder) {
        How withReducers(int count) {
            return new How(count, partitioner, byRange, combiner, keyOrder, valueOrder);
        }

        How withPartitioner(Partitioner<Object, Object> other, boolean ranges) {
            return new How(reducers, other, ranges, combiner, keyOrder, valueOrder);
        }

        How withCombiner(Combiner<Object, Object> other) {
            return new How(reducers, partitioner, byRange, other, keyOrder, valueOrder);
        }

        How withOrder(List<SortKey> ofKeys, List<SortKey> ofValues) {
            return new How(reducers, partitioner, byRange, combiner, ofKeys, ofValues);
        }
    }

    private MapReduce(Input<K, V> input, How how) {
        this.input = input;
        this.how = how;
    }

    static <K, V> MapReduce<K, V> of(
            Engine engine,
            String title,
            Plan source,
            RecordChain chain,
            Class<K> key,
            Class<V> value,
            Mapper<Object, Object, Object> mapper) {
        OwnCode.require(mapper, "the mapper");
        Input<K, V> input = new Input<>(engine, title, source, chain, key, value, mapper);
        int reducers = engine.settings().forPlans().parts();
        return new MapReduce<>(input, new How(reducers, null, false, null, inOrder(input), List.of()));
    }

    private static List<SortKey> inOrder(Input<?, ?> input) {
        Schema pairs = input.pairs();
        return IntStream.range(0, input.keyColumns())
                .mapToObj(i -> SortKey.ascending(PlanBuilder.column(pairs, i)))
                .toList();
    }

    private MapReduce<K, V> with(How other) {
        return new MapReduce<>(input, other);
    }

    /** Makes fewer values of those that one task has for a key, before they are moved. */
    @SuppressWarnings("unchecked")
    public MapReduce<K, V> combine(Combiner<K, V> combiner) {
        OwnCode.require(combiner, "the combiner");
        return with(how.withCombiner((Combiner<Object, Object>) (Combiner<?, ?>) combiner));
    }

    /** How many reducers there are; a result is written to one file per reducer that made rows, in their order. */
    public MapReduce<K, V> reducers(int count) {
        if (count < 1 || count > MOST_REDUCERS) {
            throw new UserMistake("there can be 1 to " + MOST_REDUCERS + " reducers, not " + count);
        }
        return with(how.withReducers(count));
    }

    /** Says itself which reducer a key comes to; without this, its hash does. */
    @SuppressWarnings("unchecked")
    public MapReduce<K, V> partitionBy(Partitioner<? super K, ? super V> partitioner) {
        OwnCode.require(partitioner, "the partitioner");
        return with(how.withPartitioner((Partitioner<Object, Object>) partitioner, false));
    }

    /**
     * Cuts all keys into ranges of about equal size, one per reducer, so that the reducers one after the other have all keys in order.
     */
    public MapReduce<K, V> partitionByRange() {
        return with(how.withPartitioner(null, true));
    }

    /** The order in which a reducer gets its keys: {@code "key desc"}, or components of a record. Without this, ascending. */
    public MapReduce<K, V> sortKeys(String order) {
        Schema keys = new Schema(input.pairs().fields().subList(0, input.keyColumns()));
        List<SortKey> given = new ArrayList<>(input.engine.expressions().order(order, keys));
        for (SortKey key : given) {
            if (!(key.expression() instanceof ColumnRef)) {
                throw new UserMistake("keys are ordered by what they are made of (" + String.join(", ", keys.names())
                        + "), not by " + key.expression());
            }
        }
        for (SortKey all : inOrder(input)) {
            if (given.stream().noneMatch(k -> k.expression().equals(all.expression()))) {
                given.add(all);
            }
        }
        return with(how.withOrder(given, how.valueOrder));
    }

    /** The order of the values within a key: {@code "at, depot_id desc"}, or {@code "value"} of a single one. Without this, any. */
    public MapReduce<K, V> sortValues(String order) {
        return with(how.withOrder(how.keyOrder, input.engine.expressions().order(order, input.pairs())));
    }

    /** Makes objects of all values of a key. */
    @SuppressWarnings("unchecked")
    public <R> Records<R> reduce(Class<R> to, Reducer<K, V, R> reducer) {
        OwnCode.require(reducer, "the reducer");
        Reducer<Object, Object, Object> code = (Reducer<Object, Object, Object>) (Reducer<?, ?, ?>) reducer;
        Plan pairs = pairs(EarlyCombiner.suits(how.combiner, input.key, input.value) ? how.combiner : null);
        Schema made = RecordShape.of(to).schema();
        Optional<GroupCode> combiner = Optional.ofNullable(how.combiner)
                .map(c -> ReduceCode.of(
                        new ReduceCode.Combining(c, input.key, input.value), pairs.schema(), pairs.schema()));
        Plan reduced = new Plan.Reduce(
                pairs,
                how.reducers,
                division(),
                Stream.concat(how.keyOrder.stream(), how.valueOrder.stream()).toList(),
                input.keyColumns(),
                combiner,
                ReduceCode.of(new ReduceCode.Reducing(code, input.key, input.value, to), pairs.schema(), made),
                made);
        return Records.of(input.engine, input.title, reduced, to);
    }

    private Division division() {
        if (how.byRange) {
            return new Division.ByRange();
        }
        return how.partitioner == null
                ? new Division.ByHash()
                : new Division.ByNumber(input.pairs().size());
    }

    /** What the mapper makes; combined where a combiner is given. */
    private Plan pairs(Combiner<Object, Object> combiner) {
        Schema schema = input.pairs();
        if (how.partitioner != null) {
            schema = schema.concat(new Schema(List.of(Field.of(NUMBER, DataType.INT))));
        }
        RecordChain mapping = input.chain.endingIn(
                new ToPairs(input.mapper, input.key, input.value, how.partitioner, how.reducers, combiner));
        return new Plan.Apply(input.source, RecordCode.of(mapping, input.source.schema(), schema), schema);
    }

    /** The keys and values as rows, as the mapper makes them: to see what reducers would get. */
    public Rows rows() {
        return new Rows(input.engine, pairs(null), input.title);
    }
}
