package org.unimeros.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Literal;

class SqlParametersTest {

    @Test
    void javaValuesHaveTheirTypes() {
        Map<String, Object> values = new HashMap<>(Map.of(
                "truth",
                true,
                "int",
                7,
                "long",
                7L,
                "double",
                7.5,
                "decimal",
                new BigDecimal("12.50"),
                "text",
                "D01",
                "date",
                LocalDate.parse("2031-03-02"),
                "time",
                Instant.parse("2031-03-02T10:00:00Z")));
        values.put("nothing", null);
        Map<String, Literal> literals = SqlParameters.of(values);
        assertEquals(DataType.BOOLEAN, literals.get("truth").type());
        assertEquals(DataType.INT, literals.get("int").type());
        assertEquals(DataType.LONG, literals.get("long").type());
        assertEquals(DataType.DOUBLE, literals.get("double").type());
        assertEquals(new DataType.Decimal(4, 2), literals.get("decimal").type());
        assertEquals(DataType.TEXT, literals.get("text").type());
        assertEquals(DataType.DATE, literals.get("date").type());
        assertEquals(DataType.TIMESTAMP, literals.get("time").type());
        assertEquals(DataType.NULL, literals.get("nothing").type());
    }

    @Test
    void otherClassesAreRefusedWithTheirName() {
        UserMistake mistake = assertThrows(UserMistake.class, () -> SqlParameters.of(Map.of("id", UUID.randomUUID())));
        assertTrue(
                mistake.getMessage().startsWith("parameter id is a UUID; use a boolean, number"), mistake.getMessage());
    }

    @Test
    void textsOfTheCommandLineAreWhatTheyLookLike() {
        assertEquals(new BigDecimal("1.50"), SqlParameters.parse("1.50").value());
        assertEquals(1500.0, SqlParameters.parse("1.5e3").value());
        assertEquals(DataType.NULL, SqlParameters.parse("null").type());
        for (String text : List.of("007", "+7", "1,5", "D01", "", "2031-03-02", "date", "select 1")) {
            assertEquals(text, SqlParameters.parse(text).value());
        }
        assertEquals("it's", SqlParameters.parse("'it''s'").value());
        assertEquals(
                Instant.parse("2031-03-02T10:00:00Z"),
                SqlParameters.parse("timestamp '2031-03-02 10:00:00'").value());
    }
}
