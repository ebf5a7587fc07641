package org.unimeros;

import java.util.ArrayList;
import java.util.List;
import java.util.function.UnaryOperator;
import org.unimeros.RecordChain.ToRows;
import org.unimeros.code.Check;
import org.unimeros.code.Mapper;
import org.unimeros.code.ToMany;
import org.unimeros.code.ToOne;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.record.RecordShape;

/**
 * Typed Java objects that are described but not computed: {@link Rows} read as a Java record, by the names of its components, or as a
 * single value such as String. Functions over them run where the data is, on all slots, one after the other without rows in between.
 *
 * <p>Components and columns meet by name; {@code parcelId} is the column {@code parcel_id}, or {@code parcelId} where there is one. A component can be a boolean, int, long,
 * float, double or their objects, String, BigDecimal, LocalDate, LocalTime, Instant, byte[], an enum (a text column), a record (a
 * struct) or a List. Objects are null where the column is; a null for a primitive is an error. Classes that do not fit are refused when
 * they are named. Immutable; can be used by several threads.
 *
 * @param <T> the class of the objects
 */
public final class Records<T> {

    private final Engine engine;
    private final String title;
    private final Plan source;
    private final RecordChain chain;
    private final Class<T> type;

    private Records(Engine engine, String title, Plan source, RecordChain chain, Class<T> type) {
        this.engine = engine;
        this.title = title;
        this.source = source;
        this.chain = chain;
        this.type = type;
    }

    /** The rows of a plan as objects. */
    static <T> Records<T> of(Engine engine, String title, Plan plan, Class<T> type) {
        RecordShape<T> shape = RecordShape.of(type);
        List<Integer> columns = shape.columnsIn(plan.schema());
        List<Plan.Named> all = PlanBuilder.columns(plan.schema());
        boolean asTheyAre = columns.size() == all.size() && inOrder(columns);
        Plan source = asTheyAre
                ? plan
                : PlanBuilder.select(plan, columns.stream().map(all::get).toList());
        // Refuses what would fail with the first row only.
        shape.reader(source.schema());
        return new Records<>(engine, title, source, new RecordChain(type, List.of(), new ToRows(type)), type);
    }

    private static boolean inOrder(List<Integer> columns) {
        for (int i = 0; i < columns.size(); i++) {
            if (columns.get(i) != i) {
                return false;
            }
        }
        return true;
    }

    private <R> Records<R> then(RecordChain.Link link, Class<R> to) {
        OwnCode.require(link.code(), "the " + link.name() + " function");
        RecordShape.of(to);
        return new Records<>(engine, title, source, chain.then(link).endingIn(new ToRows(to)), to);
    }

    /** Makes one object of each. */
    @SuppressWarnings("unchecked")
    public <R> Records<R> map(Class<R> to, ToOne<? super T, ? extends R> function) {
        return then(new RecordChain.One((ToOne<Object, Object>) function), to);
    }

    /** Makes any number of objects of each. */
    @SuppressWarnings("unchecked")
    public <R> Records<R> flatMap(Class<R> to, ToMany<? super T, R> function) {
        return then(new RecordChain.Many((ToMany<Object, Object>) (ToMany<?, ?>) function), to);
    }

    /** Keeps some of the objects. */
    @SuppressWarnings("unchecked")
    public Records<T> filter(Check<? super T> function) {
        return then(new RecordChain.Kept((Check<Object>) function), type);
    }

    /** Gives every object a key, by which a {@link MapReduce} brings objects together. */
    public <K> MapReduce<K, T> keyBy(Class<K> key, ToOne<? super T, ? extends K> function) {
        return mapReduce(key, type, new ByKey<T, K>(function));
    }

    /** Makes keys and values of the objects, for a map-reduce step. */
    @SuppressWarnings("unchecked")
    public <K, V> MapReduce<K, V> mapReduce(Class<K> key, Class<V> value, Mapper<? super T, K, V> mapper) {
        return MapReduce.of(
                engine, title, source, chain, key, value, (Mapper<Object, Object, Object>) (Mapper<?, ?, ?>) mapper);
    }

    /** A mapper that leaves the object as it is. */
    private record ByKey<T, K>(ToOne<? super T, ? extends K> key) implements Mapper<T, K, T> {
        @Override
        public void map(T record, org.unimeros.code.Pairs<K, T> out) throws Exception {
            out.add(key.apply(record), record);
        }

        @Override
        public void taskBegins(org.unimeros.code.TaskContext context) throws Exception {
            key.taskBegins(context);
        }

        @Override
        public void taskEnds() throws Exception {
            key.taskEnds();
        }
    }

    /** Back to rows, with a column per component. */
    public Rows rows() {
        if (chain.links().isEmpty()) {
            return new Rows(engine, source, title);
        }
        Schema made = RecordShape.of(type).schema();
        return new Rows(engine, new Plan.Apply(source, RecordCode.of(chain, source.schema(), made), made), title);
    }

    /** The columns that {@link #rows} has. */
    public Schema schema() {
        return chain.links().isEmpty() ? source.schema() : RecordShape.of(type).schema();
    }

    /** Computes all objects and brings them into the memory of this program. */
    public List<T> fetch() {
        Result result = rows().fetch();
        RecordShape<T> shape = RecordShape.of(type);
        RecordShape.Reader<T> reader = shape.reader(result.schema());
        List<T> all = new ArrayList<>(result.size());
        result.forEachBatch(batch -> {
            reader.use(batch, 0);
            for (int row = 0; row < batch.rowCount(); row++) {
                all.add(reader.read(row));
            }
        });
        return all;
    }

    /** Computes the number of objects. */
    public long count() {
        return rows().count();
    }

    /** Computes all objects and writes them as rows, as {@link Rows#write} does. */
    public Run write(String location, UnaryOperator<WriteOptions> as) {
        return rows().write(location, as);
    }

    /** The plan by which they would be computed. */
    public String explain() {
        return rows().explain();
    }
}
