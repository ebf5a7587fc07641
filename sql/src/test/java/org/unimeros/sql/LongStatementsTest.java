package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.Rewrite;

/** Statements that programs write: they are understood, or refused at a limit that the message names; nothing overflows and nothing goes on for ever. */
@Timeout(value = 5, unit = TimeUnit.MINUTES)
class LongStatementsTest {

    private static final Schema PARCELS =
            Schema.of(Field.of("parcel_id", DataType.LONG), Field.of("service", DataType.TEXT));

    private static Plan plan(String sql) {
        return Rewrite.apply(SqlQuery.plan(sql, name -> PlanBuilder.as(new Inline(PARCELS, List.of()), name)));
    }

    @ParameterizedTest
    @CsvSource(
            quoteCharacter = '`',
            value = {"(, )", "not (, )", "lower(, )", "case when true then , end", "array[, ]", "(select , )"})
    void whatIsNestedTooDeeplyIsRefused(String before, String after) {
        String open = before.endsWith("then") || before.endsWith("select") ? before + " " : before;
        String close = after.equals("end") ? " end" : after;
        String sql = "select " + open.repeat(3_000) + "1" + close.repeat(3_000) + " from parcels";
        UserMistake e = assertThrows(UserMistake.class, () -> plan(sql));
        assertTrue(e.getMessage().contains("200 times"), e.getMessage());
    }

    @ParameterizedTest
    @CsvSource(
            quoteCharacter = '`',
            value = {"(, )", "lower(, )", "coalesce(null; , )", "case when true then , else '' end"})
    void whatIsNestedABitLessIsTaken(String before, String after) {
        String open = before.replace(';', ',') + " ";
        plan("select " + open.repeat(150) + "'x'" + (" " + after).repeat(150) + " from parcels");
    }

    /** Parentheses in texts and comments do not count. */
    @Test
    void onlyWhatIsNestedCounts() {
        plan("select '" + "(".repeat(5_000) + "' /* " + "(".repeat(5_000) + " */ from parcels");
        plan("select " + "(1) + ".repeat(250) + "1 from parcels");
    }

    private static String many(int n, String separator, String of) {
        return IntStream.range(0, n)
                .mapToObj(i -> of.replace("#", String.valueOf(i)))
                .collect(Collectors.joining(separator));
    }

    @Test
    void longConditionsAndListsAreTaken() {
        plan("select 1 from parcels where " + many(20_000, " and ", "parcel_id <> #"));
        plan("select 1 from parcels where " + many(20_000, " or ", "parcel_id = #"));
        plan("select 1 from parcels where parcel_id in (" + many(50_000, ", ", "#") + ")");
        plan("select case " + many(5_000, " ", "when parcel_id = # then #") + " end from parcels");
        plan("select 1 from (values " + many(20_000, ", ", "(#)") + ") v(x)");
    }

    @Test
    void aThousandUnionsAreOne() {
        Plan all = plan(many(1_000, " union all ", "select # as x"));
        assertEquals(1_000, ((Plan.Union) all).inputs().size());
        plan(many(1_000, " union ", "select # as x"));
    }

    @Test
    void anExpressionOfTooManyLevelsIsRefused() {
        UserMistake e = assertThrows(
                UserMistake.class, () -> plan("select " + many(20_000, " + ", "parcel_id") + " from parcels"));
        assertTrue(e.getMessage().contains("more than 300 levels"), e.getMessage());
        assertTrue(e.getMessage().length() < 1_000, "the whole statement is not repeated");
        plan("select " + many(290, " + ", "parcel_id") + " from parcels");
    }

    /** What is written once and meant several times must not grow without end. */
    @ParameterizedTest
    @CsvSource(
            quoteCharacter = '`',
            delimiter = ';',
            value = {
                "coalesce(lower(;), service)",
                "coalesce(1 / ;, 1 / parcel_id)",
                "greatest(1 + ;, 2, 3)",
                "nullif(1 + ;, 2)",
                "case (1 + ;) when 1 then 2 when 3 then 4 end",
                "case when (1 + ;) between 1 and 2 then 1 else 0 end"
            })
    void nestedChoicesEndInTime(String before, String after) {
        String inside = before.contains("lower") ? "service" : "parcel_id";
        String sql = "select " + before.repeat(30) + inside + after.repeat(30) + " from parcels";
        try {
            plan(sql);
        } catch (UserMistake e) {
            assertTrue(e.getMessage().contains("parts, repeated ones counted each time"), e.getMessage());
        }
    }
}
