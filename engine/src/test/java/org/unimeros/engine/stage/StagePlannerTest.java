package org.unimeros.engine.stage;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.Windows;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.TableSource;

/** What stages a plan is cut into, as users read it. */
class StagePlannerTest {

    private static TestTable table(String name, int rows) {
        Schema schema = Schema.of(Field.of("id", DataType.INT), Field.of("kind", DataType.TEXT));
        List<List<Object>> data = IntStream.range(0, rows)
                .mapToObj(i -> List.<Object>of(i, "k" + i % 3))
                .toList();
        return new TestTable(name, schema, data, 100, 50);
    }

    private static final Plan BIG = PlanBuilder.scan(table("big", 1000), "b");
    private static final Plan SMALL = PlanBuilder.scan(table("small", 10), "s");

    private static Expression column(Plan plan, String name) {
        return PlanBuilder.column(plan.schema(), plan.schema().resolve(name));
    }

    private static Plan join(Plan left, Plan right, JoinKind kind, JoinMethod method) {
        Schema both = left.schema().concat(right.schema());
        Expression on = Operators.compare(
                "=",
                PlanBuilder.column(both, 0),
                PlanBuilder.column(both, left.schema().size()));
        return PlanBuilder.join(left, right, kind, method, on);
    }

    private static String stages(Plan plan, long copyLimit) {
        return StagePlanner.forResult(plan, new PlanSettings(1 << 20, copyLimit, 8))
                .print();
    }

    @Test
    void groupsAreSummarisedInPartBeforeTheyAreShuffled() {
        Plan group = new Group(
                BIG,
                List.of(Named.of("kind", column(BIG, "kind"))),
                List.of(new NamedAggregate(Aggregate.countRows(), "n")));
        assertEquals("""
                stage 1, expected to make data of about 1.6 kB and 100 rows
                  scan big [id, kind]: 1 file, 16 kB, 10 splits
                  summarise in part count(*) as n by b.kind as kind
                  shuffle by kind into 8 parts
                stage 2, expected to make data of about 1.6 kB and 100 rows
                  read parts of stage 1
                  summarise count(*) as n by b.kind as kind
                  result
                """, stages(group, 0));
    }

    /** Rows once for each set of keys, beside what they were. */
    private static Plan.Expand sets(Expression other) {
        List<Named> all = PlanBuilder.columns(BIG.schema());
        Named kind = Named.of("kind key", column(BIG, "kind"));
        Named none = Named.of("kind key", new Literal(null, DataType.TEXT));
        return new Plan.Expand(
                BIG,
                List.of(
                        List.of(all.get(0), kind, Named.of("set", new Literal(0, DataType.INT))),
                        List.of(Named.of("id", other), none, Named.of("set", new Literal(1, DataType.INT)))));
    }

    private static Group bySets(Plan.Expand sets) {
        Aggregate most = Aggregates.of(Aggregates.Call.of("max", List.of(column(sets, "id"))));
        return new Group(
                sets, PlanBuilder.columns(sets.schema()).subList(1, 3), List.of(new NamedAggregate(most, "most")));
    }

    @Test
    void rowsAreSummarisedByAllKeysBeforeTheyAreByEachSet() {
        String stages = stages(bySets(sets(column(BIG, "id"))), 0);
        assertTrue(stages.contains("""
                stage 1, expected to make data of about 3.1 kB and 200 rows
                  scan big [id, kind]: 1 file, 16 kB, 10 splits
                  summarise in part max(b.id) as most by b.kind as kind key
                  summarise that for each of 2 sets of keys
                  shuffle by kind key, set into 8 parts
                """), stages);
    }

    @Test
    void rowsAreExpandedWhereTheyDifferInMoreThanTheirKeysAndForVeryManySets() {
        String stages = stages(bySets(sets(new Literal(7, DataType.INT))), 0);
        assertTrue(stages.contains("expand each row into 2"), stages);
        Plan.Expand two = sets(column(BIG, "id"));
        List<List<Named>> many = new ArrayList<>();
        for (int i = 0; i < 150; i++) {
            many.addAll(two.variants());
        }
        stages = stages(bySets(new Plan.Expand(BIG, many)), 0);
        assertTrue(stages.contains("expand each row into 300"), stages);
    }

    @Test
    void theSmallerSideOfAnInnerJoinIsCopiedWhicheverItIs() {
        for (Plan plan : List.of(
                join(BIG, SMALL, JoinKind.INNER, JoinMethod.AUTOMATIC),
                join(SMALL, BIG, JoinKind.INNER, JoinMethod.AUTOMATIC))) {
            String text = stages(plan, 1000);
            assertTrue(text.contains("join, copied, with stage 1"), text);
            assertTrue(text.contains("within the copy limit of 1000 B"), text);
            assertTrue(text.lines().toList().get(1).equals("  scan small [id, kind]: 1 file, 160 B, 1 split"), text);
        }
    }

    /** A table whose files are much smaller than its rows are in memory. */
    private record Packed(TestTable rows) implements TableSource {
        @Override
        public String name() {
            return rows.name();
        }

        @Override
        public Schema schema() {
            return rows.schema();
        }

        @Override
        public ScanPlan plan(ScanRequest request) {
            ScanPlan plan = rows.plan(request);
            long rowCount = plan.estimatedRows();
            return new ScanPlan(plan.splits(), 1, rowCount / 2, 0, 0, rowCount, plan.open(), List.of());
        }
    }

    @Test
    void whatIsSmallInItsFilesAloneIsNotCopied() {
        Plan packed = PlanBuilder.scan(new Packed(table("packed", 1000)), "p");
        String text = stages(join(BIG, packed, JoinKind.INNER, JoinMethod.AUTOMATIC), 1000);
        assertTrue(text.contains("right side of about 7.8 kB and 1,000 rows, over the copy limit of 1000 B"), text);
        assertTrue(text.contains(", more where keys of a join repeat on both sides\n"), text);
        assertTrue(stages(join(BIG, packed, JoinKind.INNER, JoinMethod.AUTOMATIC), 8000)
                .contains("within the copy limit of 7.8 kB"));
    }

    @Test
    void theRightSideOfALeftJoinIsTheTable() {
        String text = stages(join(SMALL, BIG, JoinKind.LEFT, JoinMethod.AUTOMATIC), 1000);
        assertTrue(text.contains("left join, shuffled, with stage 1"), text);
        assertTrue(text.contains("right side of about 16 kB and 1,000 rows, over the copy limit of 1000 B"), text);
        assertEquals(2, text.split("shuffle by", -1).length - 1, text);
    }

    @Test
    void aMethodThatIsAskedForIsTaken() {
        assertTrue(stages(join(BIG, SMALL, JoinKind.INNER, JoinMethod.SHUFFLED), 1 << 20)
                .contains("join, shuffled"));
        String copied = stages(join(BIG, BIG, JoinKind.INNER, JoinMethod.COPIED), 0);
        assertTrue(copied.contains("join, copied") && copied.contains("(as asked for)"), copied);
        Plan cross = PlanBuilder.join(BIG, SMALL, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
        assertTrue(stages(cross, 0).contains("no equal keys to shuffle by"), stages(cross, 0));
    }

    @Test
    void aLimitBehindAnOrderKeepsLittlePerTask() {
        Plan sort = new Sort(BIG, List.of(new SortKey(column(BIG, "id"), true, true)));
        String text = stages(PlanBuilder.limit(sort, 2, 3), 0);
        assertEquals(2, text.split("order by b.id desc, first 5", -1).length - 1, text);
        assertTrue(text.contains("take 3 after 2"), text);
        assertTrue(text.contains("gather into one part"), text);
    }

    @Test
    void aUnionIsOneStageOfSeveralPipelines() {
        PhysicalPlan plan = StagePlanner.forResult(PlanBuilder.union(BIG, SMALL), new PlanSettings(1 << 20, 0, 8));
        assertEquals(1, plan.stages().size());
        assertEquals(2, plan.stage(1).pipelines().size());
        assertTrue(plan.print().contains("  + scan big"), plan.print());
    }

    @Test
    void stagesNameWhatTheyWaitFor() {
        PhysicalPlan plan = StagePlanner.forResult(
                join(BIG, SMALL, JoinKind.INNER, JoinMethod.SHUFFLED), new PlanSettings(1 << 20, 0, 8));
        assertEquals(List.of(1, 2), plan.stage(3).dependencies());
        assertEquals(List.of(), plan.stage(1).dependencies());
    }

    private static Plan byKind(Plan plan) {
        return new Group(
                plan,
                List.of(Named.of("kind", column(plan, "kind"))),
                List.of(new NamedAggregate(Aggregate.countRows(), "n")));
    }

    private static Plan numbered(Plan plan, String by, SortKey... order) {
        WindowFunction number = Windows.of("row_number", List.of(), WindowFunction.Frame.ALL);
        return new Plan.Window(
                plan, List.of(column(plan, by)), List.of(order), List.of(new Plan.NamedWindow(number, "number")));
    }

    private static int shuffles(Plan plan) {
        return stages(plan, 0).split("shuffle by").length - 1;
    }

    private static int shufflesUncut(Plan plan) {
        PlanSettings settings = new PlanSettings(1 << 20, 0, 8).withCutsParts(false);
        return StagePlanner.forResult(plan, settings).print().split("shuffle by").length - 1;
    }

    @Test
    void rowsThatLieByTheirKeysAreNotShuffledAgain() {
        Plan groups = byKind(BIG);
        assertEquals(1, shuffles(numbered(groups, "kind")));
        assertEquals(1, shuffles(byKind(PlanBuilder.where(groups, Literal.TRUE))));
        assertEquals(2, shuffles(numbered(groups, "n")));
        assertEquals(1, shuffles(numbered(numbered(BIG, "id"), "id")));
    }

    @Test
    void aJoinThatIsNotCutLeavesRowsByTheKeysOfBothSides() {
        Plan inner = join(BIG, SMALL, JoinKind.INNER, JoinMethod.SHUFFLED);
        assertEquals(2, shufflesUncut(inner));
        for (int key : List.of(0, 2)) {
            Plan group = new Group(inner, List.of(Named.of("id", PlanBuilder.column(inner.schema(), key))), List.of());
            assertEquals(2, shufflesUncut(group), "by column " + key);
        }
        Plan left = join(BIG, SMALL, JoinKind.LEFT, JoinMethod.SHUFFLED);
        Plan byLeft = new Group(left, List.of(Named.of("id", PlanBuilder.column(left.schema(), 0))), List.of());
        Plan byRight = new Group(left, List.of(Named.of("id", PlanBuilder.column(left.schema(), 2))), List.of());
        assertEquals(2, shufflesUncut(byLeft));
        assertEquals(3, shufflesUncut(byRight), "rows without a match have no key and are anywhere");
        Plan full = join(BIG, SMALL, JoinKind.FULL, JoinMethod.SHUFFLED);
        Plan ofFull = new Group(full, List.of(Named.of("id", PlanBuilder.column(full.schema(), 0))), List.of());
        assertEquals(3, shufflesUncut(ofFull));
    }

    /** A group-by behind a join on the same keys is the place where pieces of a part meet. */
    @Test
    void rowsOfAJoinThatMayBeCutAreDividedOnceMoreOnlyIfAPartIs() {
        Plan inner = join(BIG, SMALL, JoinKind.INNER, JoinMethod.SHUFFLED);
        Plan group = new Group(inner, List.of(Named.of("id", PlanBuilder.column(inner.schema(), 0))), List.of());
        String plan = stages(group, 0);
        assertTrue(
                plan.contains("  if a part is too large for one task\n  read parts of stage 2, large ones in pieces\n"),
                plan);
        assertTrue(plan.contains("  + if stage 3 had no tasks\n    read parts of stage 2\n    join,"), plan);
        assertTrue(plan.contains("  + if stage 3 had tasks\n    read parts of stage 3\n    summarise distinct"), plan);
        String uncut = StagePlanner.forResult(group, new PlanSettings(1 << 20, 0, 8).withCutsParts(false))
                .print();
        assertFalse(uncut.contains("stage 4"), uncut);
    }

    @Test
    void partsAreCutWhereEveryPieceMakesItsShare() {
        for (JoinKind kind : JoinKind.values()) {
            boolean isCut =
                    stages(join(BIG, SMALL, kind, JoinMethod.SHUFFLED), 0).contains("in pieces");
            assertEquals(kind != JoinKind.FULL, isCut, kind + ": rows without a partner are known to who sees all");
        }
        assertFalse(stages(numbered(BIG, "kind"), 0).contains("in pieces"));
        assertFalse(stages(byKind(BIG), 0).contains("in pieces"));
    }

    @Test
    void aSideThatLiesByTheKeysOfItsJoinStaysWhereItIs() {
        Plan groups = new Group(
                BIG,
                List.of(Named.of("id", column(BIG, "id"))),
                List.of(new NamedAggregate(Aggregate.countRows(), "n")));
        Plan join = join(groups, SMALL, JoinKind.LEFT, JoinMethod.SHUFFLED);
        String plan = stages(join, 0);
        assertEquals(2, shuffles(join), plan);
        assertTrue(
                plan.contains("  read parts of stage 1\n"
                        + "  summarise count(*) as n by b.id as id\n"
                        + "  left join, shuffled, with stage 2 on id = s.id (as asked for)"),
                plan);
    }

    @Test
    void rowsThatAreInOrderAreNotSortedAgainBeforeTheyAreMerged() {
        Plan window = numbered(BIG, "kind", SortKey.ascending(column(BIG, "id")));
        List<SortKey> keys =
                List.of(SortKey.ascending(column(window, "kind")), SortKey.ascending(column(window, "id")));
        assertFalse(stages(new Plan.Sort(window, keys), 0).contains("  order by"));
        List<SortKey> others = List.of(SortKey.ascending(column(window, "id")));
        assertTrue(stages(new Plan.Sort(window, others), 0).contains("  order by b.id"));
    }

    @Test
    void sizesAreForPeople() {
        assertEquals("0 B", Sizes.bytes(0));
        assertEquals("1023 B", Sizes.bytes(1023));
        assertEquals("1.0 kB", Sizes.bytes(1024));
        assertEquals("64 MB", Sizes.bytes(64L << 20));
        assertEquals("1,234,567", Sizes.count(1_234_567));
        assertEquals("1 file", Sizes.count(1, "file"));
        assertEquals("940 ms", Sizes.millis(940));
        assertEquals("3.2 s", Sizes.millis(3_210));
        assertEquals("4 min 10 s", Sizes.millis(250_999));
    }

    @Test
    void aSideThatMayTurnOutSmallIsWaitedFor() {
        Plan join = join(BIG, SMALL, JoinKind.INNER, JoinMethod.AUTOMATIC);
        String plan = stages(join, 10);
        assertTrue(
                plan.contains(
                        "  + if stage 1 made more than 10 B\n    read parts of stage 2, large ones in pieces\n    join, shuffled, with stage 1"),
                plan);
        assertTrue(
                plan.contains(
                        "  + if stage 1 made at most 10 B\n    scan big [id, kind]: 1 file, 16 kB, 10 splits\n    join, copied, with stage 1"),
                plan);
        assertTrue(plan.contains("(it turned out small)"), plan);
        PlanSettings off = new PlanSettings(1 << 20, 10, 8, false, true);
        assertFalse(StagePlanner.forResult(join, off).print().contains("turned out small"));
    }

    @Test
    void innerJoinsStartWithTheLargestInputWhateverOrderTheyAreWrittenIn() {
        Plan other = PlanBuilder.scan(table("other", 20), "o");
        Plan two = join(SMALL, other, JoinKind.INNER, JoinMethod.AUTOMATIC);
        Plan three = join(two, BIG, JoinKind.INNER, JoinMethod.AUTOMATIC);
        String plan = stages(three, 1 << 20);
        assertTrue(plan.contains("inputs in the order big, small, other by expected rows"), plan);
        assertEquals(
                three.schema(),
                StagePlanner.forResult(three, new PlanSettings(1, 1, 1)).schema());
        PlanSettings written = new PlanSettings(1 << 20, 1 << 20, 8, true, false);
        assertFalse(StagePlanner.forResult(three, written).print().contains("by expected rows"));
    }

    @Test
    void equalitiesOfWhereBecomeKeys() {
        Plan cross = PlanBuilder.join(BIG, SMALL, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
        Expression equal =
                Operators.compare("=", PlanBuilder.column(cross.schema(), 0), PlanBuilder.column(cross.schema(), 2));
        String plan = stages(Rewrite.apply(PlanBuilder.where(cross, equal)), 1 << 20);
        assertTrue(plan.contains("join, copied, with stage 1 on b.id = s.id"), plan);
        assertFalse(plan.contains("where true"), plan);
    }
}
