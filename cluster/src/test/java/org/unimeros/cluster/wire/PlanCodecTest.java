package org.unimeros.cluster.wire;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.ObjectInputStream;
import java.io.ObjectOutputStream;
import java.io.Serializable;
import java.net.URI;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.zip.CRC32C;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.FunctionDoc;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Windows;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.sql.SqlQuery;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.store.StorePath;

/** Everything that a plan can hold travels, and nothing else does. */
class PlanCodecTest {

    private static final PlanSettings SETTINGS = new PlanSettings(1 << 20, 1 << 20, 4);

    private static PhysicalPlan plan(String query) {
        return StagePlanner.forResult(described(query), SETTINGS);
    }

    /** The same with its constants computed. */
    private static PhysicalPlan rewritten(String query) {
        return StagePlanner.forResult(Rewrite.apply(described(query)), SETTINGS);
    }

    private static Plan described(String query) {
        return SqlQuery.plan(query, name -> {
            throw new UserMistake("no table " + name);
        });
    }

    @Test
    void everyFunctionTravels() {
        List<FunctionDoc> all = new ArrayList<>(Functions.entries());
        all.addAll(Aggregates.entries());
        all.addAll(Windows.entries());
        List<String> wrong = new ArrayList<>();
        for (FunctionDoc doc : all) {
            for (PhysicalPlan plan : List.of(plan(doc.example()), rewritten(doc.example()))) {
                try {
                    PhysicalPlan back = PlanCodec.read(PlanCodec.write(plan), PhysicalPlan.class);
                    if (!back.print().equals(plan.print())) {
                        wrong.add(doc.example() + " became\n" + back.print());
                    }
                } catch (UserMistake | ResourceFailure e) {
                    wrong.add(doc.example() + ": " + e.getMessage());
                }
            }
        }
        assertTrue(all.size() > 100);
        assertEquals(List.of(), wrong);
    }

    @Test
    void operatorsAndLiteralsOfEveryTypeTravel() {
        for (String expression : List.of(
                "1 + 2 * 3 - 4 / 2 % 3",
                "1.50 * 2.25 + cast('12345678901234567890.12' as decimal(30, 2))",
                "date '2031-03-01' + interval '2' day",
                "timestamp '2031-03-01 10:00:00' - interval '1' month",
                "time '10:20:30' + interval '5' minute",
                "'a' || 'b' like 'a%' or 'x%' like 'x!%' escape '!'",
                "case when 1 = 2 then true when null then false end",
                "5 in (1, 2, 3) and 'x' not in ('a', 'b') and null is null",
                "x'00ff' = x'00fe'",
                "list(1, 2, null)[2]",
                "struct(1 as a, 'b' as c).c",
                "try_cast('x' as int) is not distinct from null",
                "extract(hour from timestamp '2031-03-01 10:00:00')",
                "position('b' in 'abc') between 1 and 3")) {
            PhysicalPlan plan = plan("select " + expression);
            PhysicalPlan back = PlanCodec.read(PlanCodec.write(plan), PhysicalPlan.class);
            assertEquals(plan.print(), back.print());
        }
    }

    @Test
    void pathsAreAbsoluteOnTheWay() {
        DataFile file = new DataFile(StorePath.of(Path.of("demo/scans/a.jsonl")), 7, 8);
        DataFile back = PlanCodec.read(PlanCodec.write(file), DataFile.class);
        assertEquals(StorePath.of(Path.of("demo/scans/a.jsonl").toAbsolutePath()), back.path());
    }

    /** Counts what its class does when it is read. */
    private static final class Hostile implements Serializable {
        private static int reads;

        private void readObject(ObjectInputStream in) throws IOException, ClassNotFoundException {
            in.defaultReadObject();
            reads++;
        }
    }

    /** As someone would send it who knows the form, but does not keep to it. */
    private static byte[] plainly(Object object) throws IOException {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (ObjectOutputStream out = new ObjectOutputStream(bytes)) {
            out.writeObject(object);
        }
        return summed(bytes.toByteArray());
    }

    private static byte[] summed(byte[] plain) {
        CRC32C sum = new CRC32C();
        sum.update(plain);
        return ByteBuffer.allocate(4 + plain.length)
                .putInt((int) sum.getValue())
                .put(plain)
                .array();
    }

    @Test
    void whatPlansAreNotMadeOfIsRefusedBeforeAnyOfItsCodeRuns() throws IOException {
        Set<Object> bomb = new HashSet<>();
        for (int i = 0; i < 40; i++) {
            bomb = new HashSet<>(Set.of(bomb, new HashSet<>(Set.of(i))));
        }
        for (Object hostile :
                List.of(new Hostile(), bomb, URI.create("http://depot").toURL())) {
            byte[] bytes = plainly(hostile);
            ResourceFailure refused = assertThrows(ResourceFailure.class, () -> PlanCodec.read(bytes, Object.class));
            assertTrue(refused.getMessage().contains("was refused: it holds "), refused.getMessage());
        }
        assertEquals(0, Hostile.reads);
    }

    @Test
    void damagedBytesAreAFailureAndNothingElse() {
        byte[] good = PlanCodec.write(plan("select upper('a'), 1 + 2, list(1, 2)"));
        Random random = new Random(7);
        for (int i = 0; i < 2_000; i++) {
            byte[] bad = good.clone();
            bad[random.nextInt(bad.length)] ^= (byte) (1 << random.nextInt(8));
            assertThrows(ResourceFailure.class, () -> PlanCodec.read(bad, PhysicalPlan.class));
            try {
                PlanCodec.read(summed(Arrays.copyOfRange(bad, 4, bad.length)), PhysicalPlan.class);
            } catch (ResourceFailure e) {
                assertFalse(e.getMessage().isEmpty());
            }
        }
        assertThrows(ResourceFailure.class, () -> PlanCodec.read(new byte[0], PhysicalPlan.class));
        assertThrows(ResourceFailure.class, () -> PlanCodec.read(PlanCodec.write("a text"), PhysicalPlan.class));
    }

    @Test
    void whatCannotTravelIsNamed() {
        UserMistake mistake = assertThrows(UserMistake.class, () -> PlanCodec.write(List.of(new Object())));
        assertEquals(
                "the job holds a java.lang.Object, which cannot be sent to workers; run it in this process",
                mistake.getMessage());
    }

    @Test
    void messagesAreJson() {
        Messages.Orders orders = new Messages.Orders(
                List.of(
                        new Order.Launch("r", new AttemptId(1, 2, 3), new byte[] {1, 2}, Map.of(4, 5)),
                        new Order.EndRun("r")),
                9);
        byte[] json = Json.write(orders);
        assertEquals(
                "{\"orders\":[{\"event\":\"launch\",\"run\":\"r\",\"attempt\":{\"stage\":1,\"task\":2,\"attempt\":3},"
                        + "\"input\":\"AQI=\",\"inputs\":{\"4\":5}},{\"event\":\"end-run\",\"run\":\"r\"}],\"last\":9}",
                new String(json, java.nio.charset.StandardCharsets.UTF_8));
        Messages.Orders back = Json.read(json, Messages.Orders.class);
        assertArrayEquals(new byte[] {1, 2}, ((Order.Launch) back.orders().get(0)).input());
        assertEquals(new Order.EndRun("r"), back.orders().get(1));
        assertThrows(ResourceFailure.class, () -> Json.read("[1".getBytes(), Messages.Orders.class));
        assertThrows(ResourceFailure.class, () -> Json.read("null".getBytes(), Messages.Orders.class));
    }
}
