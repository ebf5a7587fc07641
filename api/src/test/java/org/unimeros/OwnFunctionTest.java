package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.List;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.code.Lookup;
import org.unimeros.code.Scalar1;
import org.unimeros.code.TaskContext;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/** Own functions in SQL and expressions, and lookups. */
@Timeout(120)
class OwnFunctionTest {

    @TempDir
    Path folder;

    private Engine engine;

    @BeforeEach
    void open() throws IOException {
        Files.writeString(
                folder.resolve("parcels.csv"),
                "id,postcode,width_cm,height_cm,day,price\n1,4711,30,20,2031-03-02,4.50\n2,,10,10,2031-03-03,\n"
                        + "3,4800,25,40,,1.25\n");
        engine = Engine.local(settings());
    }

    private Settings settings() {
        return Settings.defaults()
                .with("slots", "2")
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString());
    }

    @AfterEach
    void close() {
        engine.close();
    }

    private String parcels() {
        return "dataset('" + folder.resolve("parcels.csv") + "')";
    }

    private List<String> rows(String query) {
        return engine.sql(query).fetch().rows().stream()
                .map(Result.Row::toString)
                .toList();
    }

    @Test
    void functionsAreCalledInQueriesAndCalls() {
        engine.define("area", long.class, long.class, Long.class, (w, h) -> w * h)
                .define("zone", Integer.class, String.class, p -> p == null ? "none" : p < 4800 ? "near" : "far")
                .define(
                        "name_of_day",
                        LocalDate.class,
                        String.class,
                        d -> d == null ? null : d.getDayOfWeek().name())
                .define("doubled", BigDecimal.class, BigDecimal.class, p -> p == null ? null : p.add(p));
        assertEquals(
                List.of("1 | near | 600", "2 | none | 100", "3 | far | 1000"),
                rows("select id, zone(cast(postcode as int)) as z, area(width_cm, height_cm) from " + parcels()
                        + " order by id"));
        assertEquals(
                List.of("far | 1", "near | 1", "none | 1"),
                engine
                        .read(folder.resolve("parcels.csv").toString())
                        .derive("z", "zone(cast(postcode as int))")
                        .where("area(width_cm, height_cm) > 50")
                        .groupBy("z")
                        .summarise("count(*) as n")
                        .sortBy("z")
                        .fetch()
                        .rows()
                        .stream()
                        .map(Result.Row::toString)
                        .toList());
        assertEquals(
                List.of("SUNDAY | 9.0000000000", "MONDAY | ", " | 2.5000000000"),
                rows("select name_of_day(day), doubled(price) from " + parcels() + " order by id"));
    }

    @Test
    void aPrimitiveThatIsNullMakesTheResultNull() {
        engine.define("next", long.class, Long.class, p -> p + 1);
        assertEquals(List.of("4712", "", "4801"), rows("select next(postcode) from " + parcels() + " order by id"));
    }

    /** Works on a row for ever: asking whether it is stopped, or not. */
    private static final class Endless implements Scalar1<Long, Long> {
        private static final AtomicBoolean RELEASED = new AtomicBoolean();
        private final boolean asks;
        private transient TaskContext context;

        Endless(boolean asks) {
            this.asks = asks;
        }

        @Override
        public void taskBegins(TaskContext newContext) {
            context = newContext;
        }

        @Override
        public Long apply(Long id) {
            while (id == 2 && !(asks && context.isStopped()) && !RELEASED.get()) {
                Thread.onSpinWait();
            }
            return id;
        }
    }

    @Test
    void aTaskThatNeverEndsFailsItsRunAfterItsLimit() throws InterruptedException {
        for (boolean asks : new boolean[] {true, false}) {
            Settings limited = settings().with("task.time-limit", "300ms").with("task.attempts", "2");
            try (Engine some = Engine.local(limited)) {
                some.define("worked", Long.class, Long.class, new Endless(asks));
                ResourceFailure late = assertThrows(
                        ResourceFailure.class,
                        () -> some.sql("select worked(id) from " + parcels()).fetch());
                assertTrue(late.getMessage().contains("took longer than 300 ms (task.time-limit)"), late.getMessage());
                assertTrue(late.getMessage().contains("attempt 1 took"), "the second one: " + late.getMessage());
                // The engine works on, with all of its slots, while the code still runs.
                for (int i = 0; i < 4; i++) {
                    assertEquals(
                            1,
                            some.sql("select count(*) from " + parcels())
                                    .fetch()
                                    .size());
                }
            } finally {
                Endless.RELEASED.set(true);
            }
            for (Thread thread : Thread.getAllStackTraces().keySet()) {
                if (thread.getName().matches("unimeros-.*-slot-.*")) {
                    thread.join();
                }
            }
            Endless.RELEASED.set(false);
        }
        for (String time : List.of("5", "-1s", "1 week", "s")) {
            assertThrows(UserMistake.class, () -> settings().with("task.time-limit", time), time);
        }
    }

    /** A place on a way, and how far it is. */
    public record Stop(int place, String name) {}

    /** The way between two depots. */
    public record Way(String from, String to) {}

    @Test
    void functionsMakeRowsOfTheInputsBeforeThem() throws IOException {
        Files.writeString(folder.resolve("ways.csv"), "id,origin,goal,words\n1,A,C,x y\n2,C,A,\n3,B,B,z\n4,,A,y y\n");
        engine.defineRows("stops", Way.class, Stop.class, (way, out) -> {
                    for (char c = way.from().charAt(0); c <= way.to().charAt(0); c++) {
                        out.add(new Stop(c - way.from().charAt(0), String.valueOf(c)));
                    }
                })
                .defineRows("words", String.class, String.class, (text, out) -> {
                    for (String word : text.split(" ")) {
                        if (word.equals("z")) {
                            throw new IllegalStateException("a strange word");
                        }
                        out.add(word);
                    }
                });
        String ways = "dataset('" + folder.resolve("ways.csv") + "') w";
        assertEquals(
                List.of("1 | 0 | A", "1 | 1 | B", "1 | 2 | C", "3 | 0 | B"),
                rows("select w.id, s.place, s.name from " + ways + ", stops(w.origin, w.goal) as s order by 1, 2"));
        assertEquals(
                List.of("1 | A", "1 | B", "1 | C", "2 | ", "3 | B", "4 | "),
                rows("select w.id, s.name from " + ways
                        + " left join stops(w.origin, w.goal) as s on true order by 1, 2"));
        assertEquals(
                List.of("3 | B"),
                rows("select w.id, s.name from " + ways
                        + ", stops(struct(w.origin as \"from\", w.goal as \"to\")) as s where w.id = 3"));
        assertEquals(
                List.of("x | 1", "y | 3"),
                rows("select word, count(*) from " + ways
                        + ", words(w.words) as t(word) where id <> 3 group by 1 order by" + " 1"));
        BadData failure = assertThrows(BadData.class, () -> rows("select * from " + ways + ", words(w.words) as t"));
        assertTrue(failure.getMessage().contains("words function failed on (z): "), failure.getMessage());
        assertTrue(failure.getMessage().contains("a strange word"), failure.getMessage());
        for (String wrong : List.of(
                "select words('a b')",
                "select * from " + ways + ", stops(w.origin) as s",
                "select * from " + ways + ", stop(w.origin) as s")) {
            assertThrows(UserMistake.class, () -> engine.sql(wrong), wrong);
        }
        assertThrows(UserMistake.class, () -> engine.define("words", String.class, String.class, (String w) -> w));
    }

    @Test
    void functionsStandInJoinsWindowsAndOrders() {
        engine.define("half", long.class, Long.class, p -> p / 2);
        assertEquals(
                List.of("1 | 2", "1 | 3"),
                rows("select a.id, b.id from " + parcels() + " a join " + parcels()
                        + " b on half(b.id) = a.id order by half(a.id), b.id"));
        assertEquals(
                List.of("1 | 1", "2 | 1", "3 | 2"),
                rows("select id, row_number() over (partition by half(id) order by id) from " + parcels()
                        + " order by id"));
    }

    @Test
    void batchesCanBeComputedAtOnce() {
        engine.defineVectorised("litres", List.of(double.class, double.class), Double.class, (args, rows, nulls) -> {
            double[] a = ((DoubleColumn) args[0]).values();
            double[] b = ((DoubleColumn) args[1]).values();
            double[] made = new double[rows];
            for (int i = 0; i < rows; i++) {
                made[i] = a[i] * b[i] / 1000;
            }
            return new DoubleColumn(made, nulls);
        });
        assertEquals(
                List.of("0.6", "0.1", "1.0"),
                rows("select litres(cast(width_cm as double), height_cm) from " + parcels() + " order by id"));
    }

    @Test
    void mistakesNameFunctionArgumentsAndRow() {
        engine.define(
                        "zone",
                        Integer.class,
                        String.class,
                        p -> List.of("near", "far").get(p - 4711))
                .define("initial", String.class, String.class, s -> s.substring(0, 1));
        UserMistake type = assertThrows(UserMistake.class, () -> engine.sql("select zone(day) from " + parcels()));
        assertTrue(
                type.getMessage()
                        .startsWith(
                                "function zone is called as zone(int), but argument 1, parcels.day, is date; cast it"),
                type.getMessage());
        UserMistake count = assertThrows(UserMistake.class, () -> engine.sql("select zone(1, 2)"));
        assertTrue(count.getMessage().startsWith("function zone is called as zone(int), but found 2 arguments"));
        UserMistake unknown = assertThrows(UserMistake.class, () -> engine.sql("select zne(1)"));
        assertTrue(unknown.getMessage().startsWith("unknown function zne; did you mean zone?"), unknown.getMessage());
        BadData failed = assertThrows(
                BadData.class, () -> rows("select zone(cast(postcode as int)) from " + parcels() + " where id = 3"));
        assertTrue(
                failed.getMessage()
                        .startsWith(
                                "the zone function failed on (4800): java.lang.IndexOutOfBoundsException: Index: 89"),
                failed.getMessage());
        assertTrue(failed.getMessage().contains("OwnFunctionTest.java:"), failed.getMessage());
        assertTrue(
                failed.getMessage()
                        .endsWith(" in zone(cast(parcels.postcode as int)), for the row with parcels.postcode = 4800"),
                failed.getMessage());
        assertThrows(UserMistake.class, () -> engine.define("zone", int.class, Integer.class, p -> p));
        assertThrows(UserMistake.class, () -> engine.define("upper", String.class, String.class, p -> p));
        assertThrows(UserMistake.class, () -> engine.define("count", String.class, Long.class, p -> 1L));
        assertThrows(UserMistake.class, () -> engine.define("a b", String.class, Long.class, p -> 1L));
    }

    private static final class Opened implements Scalar1<Long, String> {
        private transient TaskContext context;

        @Override
        public void taskBegins(TaskContext given) {
            context = given;
            context.count("opened", "tasks", 1);
        }

        @Override
        public String apply(Long value) {
            context.count("opened", "rows", 1);
            return context.task() + ":" + value;
        }

        @Override
        public void taskEnds() {
            context.count("opened", "closed", 1);
        }
    }

    /** Written for an earlier version. */
    static final class Outdated implements Scalar1<Long, String> {
        private static final long serialVersionUID = 1;

        public void setUp(TaskContext given) {
            given.count("never", "called", 1);
        }

        @Override
        public String apply(Long value) {
            return "" + value;
        }
    }

    @Test
    void aMethodThatNobodyCallsAnyMoreIsRefused() {
        UserMistake e = assertThrows(
                UserMistake.class, () -> engine.define("outdated", Long.class, String.class, new Outdated()));
        assertTrue(e.getMessage().contains("has a method setUp, which is called taskBegins"), e.getMessage());
    }

    @Test
    void aClassIsSetUpOncePerTask() {
        engine.define("seen", Long.class, String.class, new Opened());
        Result result = engine.sql("select seen(id) as s from " + parcels()).fetch();
        assertEquals(3, result.size());
        assertEquals(1, result.run().counter("opened", "tasks"));
        assertEquals(3, result.run().counter("opened", "rows"));
    }

    record Zone(String name, int days) {}

    @Test
    void lookupsServeFunctionsHereAndOnWorkers() {
        String zones = "select * from (values (4711, 'near', 1), (4800, 'far', 3)) z(postcode, name, days)";
        String query = "select id, zone_name(cast(postcode as int)) as n from " + parcels() + " order by id";
        List<String> expected = List.of("1 | near 1", "2 | ", "3 | far 3");
        try (LocalWorkers workers = new LocalWorkers(
                new LocalWorkers.Options(2, 1, 250 << 20, 100 << 20, folder.resolve("workers")),
                new Coordinator.Config(null, 0, ClusterAccess.NONE))) {
            for (boolean elsewhere : new boolean[] {false, true}) {
                try (Engine used = elsewhere ? Engine.connect(workers.url(), settings()) : Engine.local(settings())) {
                    Lookup<Integer, Zone> lookup = used.lookup(used.sql(zones), Integer.class, Zone.class);
                    assertEquals(2, lookup.size());
                    used.define("zone_name", int.class, String.class, code -> {
                        Zone zone = lookup.get(code);
                        return zone == null ? "unknown" : zone.name() + " " + zone.days();
                    });
                    assertEquals(
                            expected,
                            used.sql(query).fetch().rows().stream()
                                    .map(Result.Row::toString)
                                    .toList());
                }
            }
        }
    }

    @Test
    void lookupsThatAreNoneAreRefused() {
        Rows twice = engine.sql("select * from (values (1, 'a'), (1, 'b')) z(k, v)");
        assertEquals(
                "a lookup has the key 1 twice, with a and b; make the rows distinct first",
                assertThrows(BadData.class, () -> engine.lookup(twice, Integer.class, String.class))
                        .getMessage());
        Rows nulls = engine.sql("select postcode, day from " + parcels());
        assertThrows(BadData.class, () -> engine.lookup(nulls, Long.class, LocalDate.class));
        Rows one = engine.sql("select 1 as k");
        assertThrows(UserMistake.class, () -> engine.lookup(one, Integer.class, String.class));
        try (Engine small = Engine.local(settings().with("lookup.limit", "20"))) {
            Rows rows = small.sql("select * from (values (1, 'near'), (2, 'far')) z(k, v)");
            UserMistake large = assertThrows(UserMistake.class, () -> small.lookup(rows, Integer.class, String.class));
            assertTrue(large.getMessage().contains("join the rows instead, or raise lookup.limit"), large.getMessage());
        }
    }

    @Test
    void aConditionWithOwnCodeOnAPartitionIsComputedByTasks() throws IOException {
        Path day = Files.createDirectories(folder.resolve("scans/day=2031-03-02"));
        Files.writeString(day.resolve("a.csv"), "id\n1\n2\n");
        engine.attach("days", Files.writeString(folder.resolve("days.txt"), "2031-03-02"));
        engine.define("wanted", LocalDate.class, Boolean.class, new Wanted());
        assertEquals(
                2,
                engine.read(folder.resolve("scans").toString())
                        .where("wanted(day)")
                        .count());
    }

    private static final class Wanted implements Scalar1<LocalDate, Boolean> {
        private transient LocalDate day;

        @Override
        public void taskBegins(TaskContext context) throws IOException {
            day = LocalDate.parse(Files.readString(context.attachment("days")));
        }

        @Override
        public Boolean apply(LocalDate value) {
            return day.equals(value);
        }
    }

    @Test
    void aColumnFromOutsideIsNotCalledBetter() {
        Column column = new DoubleColumn(new double[] {1}, null);
        engine.defineVectorised("broken", List.of(long.class), Double.class, (args, rows, nulls) -> {
            throw new IllegalStateException("no power");
        });
        assertEquals(false, column.isNull(0));
        UserMistake failed = assertThrows(UserMistake.class, () -> rows("select broken(id) from " + parcels()));
        assertTrue(failed.getMessage()
                .startsWith("the broken function failed: java.lang.IllegalStateException: no power"));
    }
}
