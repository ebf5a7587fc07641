package org.unimeros.engine.own;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.Serializable;
import java.time.LocalDate;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Supplier;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.UserMistake;

class OwnCodeTest {

    private interface Naming extends Serializable {
        String name(int parcel);
    }

    /** Remembers how often it was called, as code of a task may. */
    private static final class Counting implements Naming {
        private int calls;

        @Override
        public String name(int parcel) {
            return parcel + "/" + ++calls;
        }
    }

    @Test
    void everyAttemptHasAnObjectOfItsOwn() {
        OwnCode<Naming> code = OwnCode.<Naming>of(new Counting(), "the namer");
        Naming one = code.open(Naming.class, JobFiles.NONE);
        Naming other = code.open(Naming.class, JobFiles.NONE);
        assertNotSame(one, other);
        assertEquals("7/1", one.name(7));
        assertEquals("7/2", one.name(7));
        assertEquals("7/1", other.name(7));
    }

    @Test
    void whatIsCapturedTravelsWithALambda() {
        List<String> places = new ArrayList<>(List.of("Lindental", "Torfmoor"));
        Map<Integer, LocalDate> days = Map.of(1, LocalDate.of(2031, 3, 2));
        Pattern pattern = Pattern.compile("t.*");
        Naming naming =
                p -> places.get(p) + days.get(p) + pattern.matcher("torf").matches();
        OwnCode<Naming> code = OwnCode.of(naming, "the namer");
        places.set(1, "changed later");
        assertEquals(
                "Torfmoor2031-03-02true", code.open(Naming.class, JobFiles.NONE).name(1));
        assertTrue(code.classes().contains(OwnCodeTest.class));
    }

    private static final class Sharing implements Shareable {
        @Override
        public String key() {
            return "zones";
        }

        @Override
        public Object open() {
            return new ArrayList<>(List.of("near"));
        }
    }

    private static final class Holding implements Serializable {
        private Object zones = new Sharing();
    }

    @Test
    void sharedValuesAreOpenedOnce() {
        OwnCode<Holding> code = OwnCode.of(new Holding(), "the holder");
        Map<String, Object> shared = new java.util.HashMap<>();
        JobFiles files = new JobFiles() {
            @Override
            public ClassLoader loader() {
                return null;
            }

            @Override
            public String attachment(String name) {
                throw new UserMistake(name);
            }

            @Override
            public Set<String> names() {
                return Set.of();
            }

            @Override
            public Object shared(String key, Supplier<Object> value) {
                return shared.computeIfAbsent(key, k -> value.get());
            }
        };
        Object first = code.open(Holding.class, files).zones;
        assertEquals(List.of("near"), first);
        assertTrue(first == code.open(Holding.class, files).zones);
    }

    @Test
    void classesOfThePlatformThatDoThingsDoNotTravel() {
        List<Object> values = List.of(new java.io.File("/"), new javax.swing.DefaultListModel<String>());
        for (Object value : values) {
            List<Object> captured = new ArrayList<>(List.of(value));
            Naming naming = p -> captured.toString();
            UserMistake refused = assertThrows(UserMistake.class, () -> OwnCode.of(naming, "the namer"));
            assertTrue(
                    refused.getMessage().startsWith("the namer cannot be sent to workers: it holds a "),
                    refused.getMessage());
        }
        assertThrows(UserMistake.class, () -> OwnCode.require(null, "the namer"));
    }

    private static Batch batch(long... keys) {
        return new Batch(keys.length, new LongColumn(keys, null));
    }

    private static List<Integer> sizes(Groups groups) {
        List<Integer> sizes = new ArrayList<>();
        while (groups.nextGroup()) {
            int n = 1;
            while (groups.nextRow()) {
                n++;
            }
            sizes.add(n);
        }
        return sizes;
    }

    @Test
    void sortedRowsAreWalkedGroupByGroupAcrossBatches() {
        Deque<Batch> batches = new ArrayDeque<>(List.of(batch(1, 1, 2), batch(2, 2), batch(2), batch(5)));
        assertEquals(List.of(2, 4, 1), sizes(new SortedGroups(batches::poll, 0)));
        assertEquals(List.of(), sizes(new SortedGroups(() -> null, 0)));
        Deque<Batch> skipped = new ArrayDeque<>(List.of(batch(1, 1, 2), batch(2, 7)));
        Groups groups = new SortedGroups(skipped::poll, 0);
        List<Long> keys = new ArrayList<>();
        while (groups.nextGroup()) {
            keys.add(((LongColumn) groups.batch().column(0)).values()[groups.row()]);
        }
        assertEquals(List.of(1L, 2L, 7L), keys);
    }

    @Test
    void numberedRowsAreWalkedGroupByGroup() {
        Groups groups = new NumberedGroups(batch(4, 9, 4, 4), new int[] {1, 0, 2, 3}, new int[] {1, 4}, 2);
        assertEquals(List.of(1, 3), sizes(groups));
        assertEquals(List.of(), sizes(new NumberedGroups(batch(), new int[0], new int[0], 0)));
    }

    @Test
    void countersAreSumsByGroupAndName() {
        Counters counters = new Counters();
        counters.add("notes", "read", 3);
        counters.addAll(Map.of("notes", Map.of("read", 4L, "bad", 1L)));
        assertEquals("{notes={bad=1, read=7}}", counters.sums().toString());
        counters.add("notes", "read", Long.MAX_VALUE - 7);
        assertThrows(ArithmeticException.class, () -> counters.add("notes", "read", 1));
    }
}
