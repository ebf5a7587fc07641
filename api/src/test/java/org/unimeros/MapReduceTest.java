package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.code.Mapper;
import org.unimeros.code.Out;
import org.unimeros.code.Pairs;
import org.unimeros.code.Partitioners;
import org.unimeros.code.Reducer;
import org.unimeros.code.TaskContext;
import org.unimeros.engine.error.UserMistake;

/** Own code over records, keys and values. */
class MapReduceTest {

    private static final String[] WORDS = {"fragile", "leave", "at", "door", "ring", "twice", "neighbour", "porch"};

    @TempDir
    Path folder;

    private Engine engine;

    record Note(String shipper, String text) {}

    record Count(String word, long n) {}

    record Stop(long parcel, int minute, String depot) {}

    @BeforeEach
    void open() {
        engine = Engine.local(settings());
    }

    private Settings settings() {
        return Settings.defaults()
                .with("slots", "3")
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString())
                .with("split.target", "100KB");
    }

    @AfterEach
    void close() {
        engine.close();
    }

    private Rows notes(int count, Map<String, Long> expected) throws IOException {
        Random random = new Random(7);
        StringBuilder lines = new StringBuilder("shipper,text\n");
        for (int i = 0; i < count; i++) {
            StringBuilder text = new StringBuilder();
            for (int w = 0; w < 1 + random.nextInt(6); w++) {
                String word = WORDS[random.nextInt(WORDS.length)];
                text.append(w == 0 ? "" : " ").append(word);
                expected.merge(word, 1L, Long::sum);
            }
            lines.append("shipper ").append(i % 5).append(',').append(text).append('\n');
        }
        Files.writeString(folder.resolve("notes.csv"), lines);
        return engine.read(folder.resolve("notes.csv").toString());
    }

    private static long sum(Iterable<Long> values) {
        long sum = 0;
        for (long value : values) {
            sum += value;
        }
        return sum;
    }

    private static MapReduce<String, Long> words(Rows notes) {
        return notes.as(Note.class).mapReduce(String.class, Long.class, (note, out) -> {
            for (String word : note.text().split(" ")) {
                out.add(word, 1L);
            }
        });
    }

    @ParameterizedTest
    @ValueSource(booleans = {false, true})
    void wordsAreCountedWithAndWithoutACombiner(boolean combines) throws IOException {
        Map<String, Long> expected = new TreeMap<>();
        MapReduce<String, Long> pairs = words(notes(3000, expected)).reducers(3);
        MapReduce<String, Long> way = combines ? pairs.combine((word, counts, out) -> out.add(sum(counts))) : pairs;
        List<Count> counts = way.reduce(Count.class, (word, ones, out) -> out.add(new Count(word, sum(ones))))
                .fetch();
        assertEquals(WORDS.length, counts.size());
        assertEquals(expected, counts.stream().collect(Collectors.toMap(Count::word, Count::n)));
    }

    @Test
    void aCombinerMovesFewerValuesAndDoesNotChangeTheResult() throws IOException {
        Rows notes = notes(2000, new HashMap<>());
        List<Long> received = new ArrayList<>();
        for (boolean combines : new boolean[] {false, true}) {
            MapReduce<String, Long> pairs = words(notes).reducers(2);
            Run run = (combines ? pairs.combine((word, counts, out) -> out.add(sum(counts))) : pairs)
                    .reduce(Count.class, new Counting())
                    .write(folder.resolve("out" + combines).toString(), as -> as.csv());
            received.add(run.counter("words", "values"));
        }
        assertTrue(received.get(1) * 10 < received.get(0), received.toString());
        assertEquals(
                engine.read(folder.resolve("outfalse").toString())
                        .sortBy("word")
                        .as(Count.class)
                        .fetch(),
                engine.read(folder.resolve("outtrue").toString())
                        .sortBy("word")
                        .as(Count.class)
                        .fetch());
    }

    /** A class with set-up, state, a context and something at the end. */
    private static final class Counting implements Reducer<String, Long, Count> {
        private transient TaskContext context;
        private long keys;

        @Override
        public void taskBegins(TaskContext given) {
            context = given;
        }

        @Override
        public void reduce(String word, Iterable<Long> counts, Out<Count> out) {
            long sum = 0;
            for (long n : counts) {
                sum += n;
                context.count("words", "values", 1);
            }
            keys++;
            out.add(new Count(word, sum));
        }

        @Override
        public void finish(Out<Count> out) {
            out.add(new Count("keys of reducer " + context.task(), keys));
        }
    }

    @Test
    void eachReducerHasAnObjectOfItsOwn() throws IOException {
        List<Count> all = words(notes(500, new HashMap<>()))
                .reducers(4)
                .reduce(Count.class, new Counting())
                .fetch();
        long keys = all.stream()
                .filter(c -> c.word().startsWith("keys"))
                .mapToLong(Count::n)
                .sum();
        assertEquals(WORDS.length, keys);
        assertEquals(4, all.stream().filter(c -> c.word().startsWith("keys")).count());
    }

    private Rows stops(int parcels, int perParcel) throws IOException {
        Random random = new Random(3);
        StringBuilder lines = new StringBuilder("parcel,minute,depot\n");
        for (int i = 0; i < parcels * perParcel; i++) {
            lines.append(random.nextInt(parcels))
                    .append(',')
                    .append(i * 7919 % 100_003)
                    .append(",D")
                    .append(i % 9)
                    .append('\n');
        }
        Files.writeString(folder.resolve("stops.csv"), lines);
        return engine.read(folder.resolve("stops.csv").toString());
    }

    record Journey(long parcel, List<String> depots, int first, boolean inOrder) {}

    private static Journey journey(long parcel, Iterable<Stop> stops) {
        List<String> depots = new ArrayList<>();
        int first = -1;
        int last = Integer.MIN_VALUE;
        boolean inOrder = true;
        for (Stop stop : stops) {
            first = first < 0 ? stop.minute() : first;
            inOrder &= stop.minute() >= last;
            last = stop.minute();
            depots.add(stop.depot());
        }
        return new Journey(parcel, depots, first, inOrder);
    }

    private Rows withParcelAsLong(Rows stops) {
        return stops.select("cast(parcel as bigint) as parcel, cast(minute as int) as minute, depot");
    }

    @ParameterizedTest
    @ValueSource(strings = {"64MB", "1GB"})
    void valuesComeInTheOrderThatIsWanted(String memory) throws IOException {
        try (Engine tight = Engine.local(settings().with("memory.budget", memory))) {
            stops(400, 20);
            List<Journey> journeys = withParcelAsLong(
                            tight.read(folder.resolve("stops.csv").toString()))
                    .as(Stop.class)
                    .keyBy(Long.class, Stop::parcel)
                    .sortValues("minute")
                    .reducers(5)
                    .reduce(Journey.class, (parcel, stops, out) -> out.add(journey(parcel, stops)))
                    .fetch();
            assertEquals(400, journeys.stream().map(Journey::parcel).distinct().count());
            assertEquals(400, journeys.size());
            assertTrue(journeys.stream().allMatch(Journey::inOrder));
            assertEquals(
                    8000, journeys.stream().mapToInt(j -> j.depots().size()).sum());
        }
    }

    @Test
    void keysComeInOrderAndRangesMakeATotalOne() throws IOException {
        Rows stops = withParcelAsLong(stops(3000, 30));
        MapReduce<Long, Stop> keyed =
                stops.as(Stop.class).keyBy(Long.class, Stop::parcel).reducers(4);
        List<Journey> byRange = keyed.partitionByRange()
                .sortValues("minute desc, depot")
                .reduce(Journey.class, (parcel, some, out) -> out.add(journey(parcel, some)))
                .fetch();
        List<Long> parcels = byRange.stream().map(Journey::parcel).toList();
        assertEquals(parcels.stream().sorted().toList(), parcels);
        assertEquals(3000, parcels.stream().distinct().count());
        List<Long> downwards = keyed.partitionByRange()
                .sortKeys("key desc")
                .reduce(Long.class, (parcel, some, out) -> out.add(parcel))
                .fetch();
        assertEquals(parcels.stream().sorted((a, b) -> Long.compare(b, a)).toList(), downwards);
    }

    @Test
    void rangesOfFewRowsAreAboutEven() throws IOException {
        Path out = folder.resolve("ranges");
        withParcelAsLong(stops(2000, 2))
                .as(Stop.class)
                .keyBy(Long.class, Stop::parcel)
                .reducers(4)
                .partitionByRange()
                .reduce(Long.class, (parcel, some, to) -> to.add(parcel))
                .write(out.toString(), as -> as.csv());
        List<Long> rows = new ArrayList<>();
        try (Stream<Path> files = Files.list(out)) {
            for (Path file :
                    files.filter(f -> f.toString().endsWith(".csv")).sorted().toList()) {
                rows.add(Files.lines(file).count() - 1);
            }
        }
        assertEquals(4, rows.size());
        long all = rows.stream().mapToLong(Long::longValue).sum();
        assertTrue(rows.stream().allMatch(n -> n > all / 8 && n < all / 2), rows.toString());
    }

    record Shelf(String depot, int bay) {}

    @Test
    void keysCanBeRecords() throws IOException {
        Map<Shelf, Long> expected = new HashMap<>();
        List<Stop> all = withParcelAsLong(stops(100, 10)).as(Stop.class).fetch();
        all.forEach(s -> expected.merge(new Shelf(s.depot(), s.minute() % 7), 1L, Long::sum));
        record Filled(Shelf shelf, long n) {}
        List<Filled> made = withParcelAsLong(
                        engine.read(folder.resolve("stops.csv").toString()))
                .as(Stop.class)
                .mapReduce(
                        Shelf.class, Long.class, (stop, out) -> out.add(new Shelf(stop.depot(), stop.minute() % 7), 1L))
                .sortKeys("bay desc")
                .reducers(1)
                .reduce(Filled.class, (shelf, ones, out) -> out.add(new Filled(shelf, sum(ones))))
                .fetch();
        assertEquals(expected, made.stream().collect(Collectors.toMap(Filled::shelf, Filled::n)));
        List<Integer> bays = made.stream().map(f -> f.shelf().bay()).toList();
        assertEquals(bays.stream().sorted((a, b) -> b - a).toList(), bays);
    }

    @Test
    void aPartitionerOfTheJobSaysWhichReducerAKeyComesTo() throws IOException {
        words(notes(800, new HashMap<>()))
                .reducers(5)
                .partitionBy((word, one, reducers) -> word.length() % 3)
                .combine((word, counts, out) -> out.add(sum(counts)))
                .reduce(Count.class, (word, ones, out) -> out.add(new Count(word, sum(ones))))
                .write(folder.resolve("out").toString(), as -> as.csv());
        List<Path> files;
        try (Stream<Path> in = Files.list(folder.resolve("out"))) {
            files = in.filter(f -> f.toString().endsWith(".csv")).sorted().toList();
        }
        assertEquals(5, files.size());
        for (Path empty : files.subList(3, 5)) {
            assertEquals(List.of("word,n"), Files.readAllLines(empty), "a reducer without rows writes a file as well");
        }
        for (int reducer = 0; reducer < 3; reducer++) {
            List<String> words = Files.readAllLines(files.get(reducer)).stream()
                    .skip(1)
                    .map(line -> line.substring(0, line.indexOf(',')))
                    .toList();
            int number = reducer;
            assertTrue(words.stream().allMatch(w -> w.length() % 3 == number), words.toString());
            assertEquals(words.stream().sorted().toList(), words);
        }
    }

    @Test
    void aNumberOutsideIsAnErrorWithTheKey() throws IOException {
        Records<Count> counts = words(notes(20, new HashMap<>()))
                .reducers(2)
                .partitionBy((word, one, reducers) -> word.equals("door") ? 2 : 0)
                .reduce(Count.class, (word, ones, out) -> out.add(new Count(word, sum(ones))));
        UserMistake mistake = assertThrows(UserMistake.class, counts::fetch);
        assertEquals("the partitioner gives 2 for the key door; there are 2 reducers, 0 to 1", mistake.getMessage());
    }

    @Test
    void readyMadePartitionersKnowListsAndPeriods() throws Exception {
        var listed = Partitioners.<String, Long>byKeys(List.of("door", "porch"));
        assertEquals(0, listed.reducer("door", 1L, 4));
        assertEquals(1, listed.reducer("porch", 1L, 4));
        int other = listed.reducer("ring", 1L, 4);
        assertTrue(other == 2 || other == 3);
        assertThrows(UserMistake.class, () -> listed.reducer("ring", 1L, 2));
        var months = Partitioners.<Long>byDate(ChronoUnit.MONTHS);
        assertEquals(2, months.reducer(LocalDate.of(2031, 3, 31), 1L, 12));
        assertEquals(11, months.reducer(LocalDate.of(1969, 12, 1), 1L, 12));
        var weeks = Partitioners.<Long>byDate(ChronoUnit.WEEKS);
        assertEquals(weeks.reducer(LocalDate.of(2031, 3, 3), 1L, 50), weeks.reducer(LocalDate.of(2031, 3, 9), 1L, 50));
        assertTrue(weeks.reducer(LocalDate.of(2031, 3, 9), 1L, 50) != weeks.reducer(LocalDate.of(2031, 3, 10), 1L, 50));
        assertThrows(UserMistake.class, () -> Partitioners.byDate(ChronoUnit.HOURS));
    }

    @Test
    void whatACodeThrowsIsToldWithTheRecordAndThePlace() throws IOException {
        Records<Count> counts = notes(20, new HashMap<>())
                .as(Note.class)
                .map(Count.class, note -> new Count(note.shipper(), Long.parseLong(note.text())));
        UserMistake mistake = assertThrows(UserMistake.class, counts::fetch);
        assertTrue(
                mistake.getMessage()
                        .matches(
                                "the map function failed on Note\\[shipper=shipper 0, text=.*\\]:"
                                        + " java.lang.NumberFormatException: For input string: .* \\(MapReduceTest.java:\\d+\\)"),
                mistake.getMessage());
    }

    @Test
    void whatCannotTravelIsRefusedWhenItIsDescribed() throws IOException {
        Records<Note> notes = notes(2, new HashMap<>()).as(Note.class);
        Object lock = new Object();
        UserMistake captured = assertThrows(UserMistake.class, () -> notes.filter(n -> lock.equals(n)));
        assertEquals(
                "the filter function cannot be sent to workers: a value captured by the function in org.unimeros.MapReduceTest"
                        + " is a java.lang.Object; make it of the values it needs, open it where the task is set up, or mark"
                        + " the field transient",
                captured.getMessage());
        UserMistake self = assertThrows(UserMistake.class, () -> notes.filter(n -> folder == null));
        assertTrue(
                self.getMessage().contains("\"this\", captured by the function in org.unimeros.MapReduceTest"),
                self.getMessage());
        UserMistake field =
                assertThrows(UserMistake.class, () -> notes.mapReduce(String.class, Long.class, new WithThread()));
        assertTrue(
                field.getMessage()
                        .contains("the field org.unimeros.MapReduceTest$WithThread.thread is a java.lang.Thread"),
                field.getMessage());
    }

    private static final class WithThread implements Mapper<Note, String, Long> {
        private final Thread thread = new Thread();

        @Override
        public void map(Note note, Pairs<String, Long> out) {
            out.add(thread.getName(), 1L);
        }
    }

    @Test
    void valuesCanBeGoneThroughOnce() throws IOException {
        Records<Count> twice = words(notes(20, new HashMap<>()))
                .reducers(1)
                .reduce(Count.class, (word, ones, out) -> out.add(new Count(word, sum(ones) + sum(ones))));
        UserMistake mistake = assertThrows(UserMistake.class, twice::fetch);
        assertTrue(mistake.getMessage().contains("can be gone through once"), mistake.getMessage());
    }

    @Test
    void functionsFollowOneAnotherAndGoBackToRows() throws IOException {
        Result result = notes(300, new HashMap<>())
                .as(Note.class)
                .filter(n -> n.text().contains("door"))
                .flatMap(Count.class, (n, out) -> {
                    for (String word : n.text().split(" ")) {
                        out.add(new Count(word, word.length()));
                    }
                })
                .map(Count.class, c -> new Count(c.word().toUpperCase(java.util.Locale.ROOT), c.n()))
                .rows()
                .where("word <> 'DOOR'")
                .groupBy("word")
                .summarise("count(*) as n", "max(n) as length")
                .sortBy("word")
                .fetch();
        assertEquals(WORDS.length - 1, result.size());
        result.rows().forEach(r -> assertEquals(((String) r.get("word")).length(), r.longValue("length")));
    }

    @Test
    void thePlanSaysWhatTheJobsOwnCodeDoes() throws IOException {
        String plan = words(notes(10, new HashMap<>()))
                .combine((word, counts, out) -> out.add(sum(counts)))
                .reducers(2)
                .reduce(Count.class, (word, ones, out) -> out.add(new Count(word, sum(ones))))
                .explain();
        assertTrue(plan.contains("reduce Long by String to Count, ordered by key"), plan);
        assertTrue(plan.contains("combine Long by String by key"), plan);
        assertTrue(plan.contains("map Note to keys String and values Long"), plan);
        assertTrue(plan.contains("notes.csv [shipper, text]"), plan);
    }
}
