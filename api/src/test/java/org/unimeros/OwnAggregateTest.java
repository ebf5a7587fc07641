package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.TreeSet;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.code.Aggregator;
import org.unimeros.code.TaskContext;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;

/** Own aggregates in groups and windows, in parts that are merged and spilled. */
@Timeout(180)
class OwnAggregateTest {

    @TempDir
    Path folder;

    /** A value and how much it counts. */
    public record Weighted(double value, long weight) {}

    /** What is summed of them. */
    public record Sums(double values, long weights) {}

    /** The mean of values that count differently. */
    static final class WeightedMean implements Aggregator<Weighted, Sums, Double> {
        @Override
        public Sums start() {
            return new Sums(0, 0);
        }

        @Override
        public Sums add(Sums state, Weighted v) {
            return new Sums(state.values + v.value * v.weight, state.weights + v.weight);
        }

        @Override
        public Sums merge(Sums a, Sums b) {
            return new Sums(a.values + b.values, a.weights + b.weights);
        }

        @Override
        public Double result(Sums state) {
            return state.weights == 0 ? null : state.values / state.weights;
        }
    }

    /** Some values, the least ones, in order. */
    public record Least(List<String> values) {}

    /** The least three texts, with their number as a struct. */
    static final class LeastThree implements Aggregator<String, Least, LeastThree.Found> {
        public record Found(int count, List<String> values) {}

        private transient int most;

        @Override
        public void taskBegins(TaskContext context) {
            most = 3;
            context.count("least", "set up", 1);
        }

        @Override
        public Least start() {
            return new Least(List.of());
        }

        @Override
        public Least add(Least state, String value) {
            return merge(state, new Least(List.of(value)));
        }

        @Override
        public Least merge(Least a, Least b) {
            TreeSet<String> all = new TreeSet<>(a.values);
            all.addAll(b.values);
            return new Least(all.stream().limit(most).toList());
        }

        @Override
        public Found result(Least state) {
            return new Found(state.values.size(), state.values);
        }
    }

    private Settings settings() {
        return Settings.defaults()
                .with("slots", "2")
                .with("split.target", "64KB")
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString());
    }

    private static Engine defined(Engine engine) {
        return engine.defineAggregate("weighted_mean", Weighted.class, Sums.class, Double.class, new WeightedMean())
                .defineAggregate("least_three", String.class, Least.class, LeastThree.Found.class, new LeastThree());
    }

    private static List<String> rows(Engine engine, String query) {
        return engine.sql(query).fetch().rows().stream()
                .map(Result.Row::toString)
                .toList();
    }

    private String parcels() throws IOException {
        Path file = folder.resolve("parcels.csv");
        if (!Files.exists(file)) {
            Files.writeString(
                    file,
                    "id,depot,grams,pieces\n1,D1,10,1\n2,D1,40,2\n3,D2,,5\n4,D2,7,\n5,D1,10,3\n6,D3,100,0\n7,,1,1\n");
        }
        return "dataset('" + file + "')";
    }

    @Test
    void groupsAreSummarisedLikeWithAnyOtherAggregate() throws IOException {
        try (Engine engine = defined(Engine.local(settings()))) {
            assertEquals(
                    List.of("D1 | 20.0 | 60 | 2", "D2 |  | 7 | 0", "D3 |  | 100 | 1", " | 1.0 | 1 | 1"),
                    rows(
                            engine,
                            "select depot, weighted_mean(grams, pieces) as m, sum(grams) as g,"
                                    + " count(distinct pieces) filter (where pieces < 3) as p from " + parcels()
                                    + " group by depot order by depot nulls last"));
            assertEquals(
                    List.of("D1 | 34.0"),
                    rows(
                            engine,
                            "select depot, weighted_mean(grams, pieces) filter (where id > 1) + 12 as m from "
                                    + parcels() + " group by depot having weighted_mean(grams, pieces) > 1"));
            assertEquals(
                    List.of("{\"count\":1,\"values\":[\"D1\"]} | 20.0"),
                    rows(
                            engine,
                            "select least_three(depot), weighted_mean(struct(grams as value, pieces as weight)) from "
                                    + parcels() + " where id in (1, 2, 5)"));
            assertEquals(
                    List.of(""),
                    rows(engine, "select weighted_mean(grams, pieces) from " + parcels() + " where id > 99"));
            assertEquals(
                    List.of("D1 | 2", "D2 | 2", "D3 | 1", " | 1"),
                    engine
                            .read(folder.resolve("parcels.csv").toString())
                            .groupBy("depot")
                            .summarise("least_three(distinct cast(id % 2 as text)) as f")
                            .derive("n", "f.count")
                            .select("depot, n")
                            .sortBy("depot nulls last")
                            .fetch()
                            .rows()
                            .stream()
                            .map(Result.Row::toString)
                            .toList());
        }
    }

    @Test
    void windowsAreSummarisedFrameByFrame() throws IOException {
        try (Engine engine = defined(Engine.local(settings()))) {
            assertEquals(
                    List.of("1 | 10.0 | 20.0", "2 | 30.0 | 20.0", "5 | 22.0 | 20.0"),
                    rows(
                            engine,
                            "select id, weighted_mean(grams, pieces) over (partition by depot order by id rows between 1"
                                    + " preceding and current row) as two, weighted_mean(grams, pieces) over (partition"
                                    + " by depot) as whole from " + parcels() + " where depot = 'D1' order by id"));
        }
    }

    /** Sums of whole numbers, beside those of the engine, with states in columns of several kinds. */
    @Test
    void partsAreMergedAndSpilledWithoutADifference() throws IOException {
        Random random = new Random(5);
        StringBuilder text = new StringBuilder("k,v\n");
        for (int i = 0; i < 200_000; i++) {
            int key = random.nextInt(60_000);
            text.append(key)
                    .append(',')
                    .append(random.nextInt(10) == 0 ? "" : random.nextInt(1000))
                    .append('\n');
        }
        Path file = Files.writeString(folder.resolve("many.csv"), text);
        String query = "select k, least_three(cast(v as text)) as own, sum(v) as s from dataset('" + file
                + "') group by k order by k";
        List<List<String>> answers = new ArrayList<>();
        AtomicLong spilled = new AtomicLong();
        for (Settings settings : List.of(
                settings().with("memory.budget", "1GB"),
                settings().with("memory.budget", "64MB").with("slots", "8").with("shuffle.parts", "1"),
                settings().with("slots", "1").with("shuffle.parts", "3"),
                settings().with("workers", "2").with("slots", "1").with("worker.memory", "200MB"))) {
            try (Engine engine = defined(Engine.open(settings))) {
                engine.watch(event -> {
                    if (event instanceof RunEvent.AttemptFinished attempt) {
                        attempt.steps().values().forEach(step -> spilled.addAndGet(step.spilled()));
                    }
                });
                Result result = engine.sql(query).fetch();
                answers.add(result.rows().stream().map(Result.Row::toString).toList());
                assertTrue(result.run().counter("least", "set up") > 0, "set up where it ran");
            }
        }
        for (List<String> answer : answers) {
            assertEquals(answers.get(0), answer);
        }
        assertTrue(answers.get(0).size() > 50_000);
        assertTrue(spilled.get() > 0, "one of them has not enough memory");
    }

    /** Fails where it is told to. */
    static final class Fragile implements Aggregator<Long, Long, Long> {
        private final String where;

        Fragile(String where) {
            this.where = where;
        }

        @Override
        public Long start() {
            return where.equals("start") ? null : 0L;
        }

        @Override
        public Long add(Long state, Long value) {
            if (where.equals("add") && value == 40) {
                throw new IllegalStateException("too heavy");
            }
            return state + value;
        }

        @Override
        public Long merge(Long a, Long b) {
            return a + b;
        }

        @Override
        public Long result(Long state) {
            if (where.equals("result")) {
                throw new IllegalStateException("no result");
            }
            return state;
        }
    }

    @Test
    void failuresNameTheAggregateAndItsValue() throws IOException {
        String from = " from " + parcels();
        for (String where : List.of("start", "add", "result")) {
            try (Engine engine = Engine.local(settings())) {
                engine.defineAggregate("total", Long.class, Long.class, Long.class, new Fragile(where));
                UserMistake mistake = assertThrows(UserMistake.class, () -> rows(engine, "select total(grams)" + from));
                assertTrue(mistake.getMessage().contains("total"), mistake.getMessage());
                if (where.equals("add")) {
                    assertTrue(mistake.getMessage().contains("on 40: "), mistake.getMessage());
                    assertTrue(mistake.getMessage().contains("OwnAggregateTest.java:"), mistake.getMessage());
                }
            }
        }
    }

    @Test
    void callsThatDoNotFitAreRefusedWhenTheyAreDescribed() throws IOException {
        String from = " from " + parcels();
        try (Engine engine = defined(Engine.local(settings()))) {
            for (var wrong : List.of(
                    List.of("select weighted_mean(grams)", "weighted_mean(double, long)"),
                    List.of("select weighted_mean(depot, pieces)", "argument 1"),
                    List.of("select least_three(grams)", "cast it"),
                    List.of("select least_three(depot order by id)", "in no order"),
                    List.of("select weighted_mean(struct(grams as value))", "weight"),
                    List.of("select least_three(depot) over (order by id) from x", "x"),
                    List.of("select least_tree(depot)", "least_tree"))) {
                UserMistake mistake = assertThrows(
                        UserMistake.class,
                        () -> engine.sql(wrong.get(0) + (wrong.get(0).contains(" from ") ? "" : from)));
                assertTrue(mistake.getMessage().contains(wrong.get(1)), mistake.getMessage());
            }
            for (String name : List.of("sum", "length", "weighted_mean", "Least_Three", "a-b")) {
                assertThrows(
                        UserMistake.class,
                        () -> engine.defineAggregate(name, Long.class, Long.class, Long.class, new Fragile("")));
            }
            engine.define("half", long.class, long.class, (Long x) -> x / 2);
            assertThrows(
                    UserMistake.class,
                    () -> engine.defineAggregate("half", Long.class, Long.class, Long.class, new Fragile("")));
            Object cannotTravel = new Object();
            assertThrows(
                    UserMistake.class,
                    () -> engine.defineAggregate("held", Long.class, Long.class, Long.class, new Aggregator<>() {
                        @Override
                        public Long start() {
                            return (long) cannotTravel.hashCode();
                        }

                        @Override
                        public Long add(Long state, Long value) {
                            return state;
                        }

                        @Override
                        public Long merge(Long a, Long b) {
                            return a;
                        }

                        @Override
                        public Long result(Long state) {
                            return state;
                        }
                    }));
        }
    }
}
