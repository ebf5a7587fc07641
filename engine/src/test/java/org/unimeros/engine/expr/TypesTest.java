package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

class TypesTest {

    private static ColumnRef column(String type) {
        return new ColumnRef(0, "c", DataType.parse(type));
    }

    private static String common(String a, String b) {
        return Types.common(DataType.parse(a), DataType.parse(b))
                .map(DataType::toString)
                .orElse("none");
    }

    @Test
    void typesMeetInTheOneThatHoldsBoth() {
        String[][] cases = {
            {"int", "int", "int"},
            {"int", "long", "long"},
            {"int", "double", "double"},
            {"long", "double", "double"},
            {"int", "decimal(5, 2)", "decimal(12, 2)"},
            {"long", "decimal(5, 2)", "decimal(21, 2)"},
            {"decimal(5, 2)", "decimal(9, 4)", "decimal(9, 4)"},
            {"decimal(18, 0)", "decimal(9, 4)", "decimal(22, 4)"},
            {"decimal(38, 0)", "decimal(9, 4)", "decimal(38, 4)"},
            {"float", "float", "float"},
            {"float", "int", "double"},
            {"float", "decimal(5, 2)", "double"},
            {"int[]", "long[]", "long[]"},
            {"struct(a int, b text)", "struct(a long, b text)", "struct(a long, b text)"},
            {"struct(a int, b text)", "struct(b text, a int)", "none"},
            {"int[]", "text[]", "none"},
            {"int[]", "int", "none"},
            {"time", "timestamp", "none"},
            {"bytes", "text", "none"},
            {"decimal(5, 2)", "double", "double"},
            {"date", "timestamp", "timestamp"},
            {"text", "text", "text"},
            {"text", "int", "none"},
            {"boolean", "int", "none"},
            {"date", "int", "none"},
            {"timestamp", "text", "none"},
        };
        for (String[] c : cases) {
            assertEquals(c[2], common(c[0], c[1]), c[0] + " and " + c[1]);
            assertEquals(c[2], common(c[1], c[0]), c[1] + " and " + c[0]);
        }
        assertEquals(Optional.of(DataType.DATE), Types.common(DataType.NULL, DataType.DATE));
        assertEquals(Optional.of(DataType.NULL), Types.common(DataType.NULL, DataType.NULL));
    }

    @Test
    void arithmeticHasTheTypeOfItsOperands() {
        String[][] cases = {
            {"int", "+", "int", "int"},
            {"int", "*", "long", "long"},
            {"long", "/", "int", "long"},
            {"double", "%", "int", "double"},
            {"decimal(5, 2)", "+", "decimal(7, 1)", "decimal(9, 2)"},
            {"decimal(5, 2)", "*", "decimal(7, 1)", "decimal(12, 3)"},
            {"decimal(18, 2)", "+", "decimal(18, 2)", "decimal(19, 2)"},
            {"decimal(38, 2)", "+", "decimal(38, 2)", "decimal(38, 2)"},
            {"decimal(18, 2)", "*", "decimal(18, 2)", "decimal(36, 4)"},
            {"float", "+", "float", "double"},
            {"decimal(5, 2)", "/", "int", "double"},
            {"decimal(5, 2)", "-", "double", "double"},
            {"date", "+", "int", "date"},
            {"date", "-", "date", "int"},
        };
        for (String[] c : cases) {
            Expression e = Operators.arithmetic(c[1], column(c[0]), column(c[2]));
            assertEquals(c[3], e.type().toString(), c[0] + " " + c[1] + " " + c[2]);
        }
        String[][] wrong = {
            {"text", "+", "int"},
            {"boolean", "*", "int"},
            {"date", "+", "date"},
            {"date", "*", "int"},
            {"timestamp", "-", "int"}
        };
        for (String[] c : wrong) {
            UserMistake e = assertThrows(
                    UserMistake.class,
                    () -> Operators.arithmetic(c[1], column(c[0]), column(c[2])),
                    String.join(" ", c));
            assertTrue(e.getMessage().contains(c[0]) && e.getMessage().contains(c[2]), e.getMessage());
        }
        assertThrows(
                UserMistake.class,
                () -> Operators.arithmetic("*", column("decimal(38, 20)"), column("decimal(38, 20)")));
    }

    @Test
    void literalsAreConvertedWhereTheyStand() {
        assertEquals(
                "c > 5.0",
                Operators.compare(">", column("double"), new Literal(5, DataType.INT))
                        .toString());
        assertEquals(
                "c in (date '2031-03-04')",
                Operators.in(column("date"), List.of(new Literal("2031-03-04", DataType.TEXT)))
                        .toString());
        Expression wide = Operators.compare("=", column("int"), new Literal(1L << 40, DataType.LONG));
        assertEquals("c = 1099511627776", wide.toString());
        assertEquals("long", ((Expression.Call) wide).args().get(0).type().toString());
    }

    @Test
    void aBareNullTakesTheTypeBesideIt() {
        Literal nothing = new Literal(null, DataType.NULL);
        assertEquals(
                DataType.INT,
                Functions.call("coalesce", List.of(nothing, column("int"))).type());
        assertEquals(
                DataType.BOOLEAN,
                Operators.compare("=", nothing, column("text")).type());
        assertEquals(DataType.BOOLEAN, Operators.truth(nothing, "where").type());
        assertEquals(
                DataType.DATE, Operators.cast(nothing, DataType.DATE, false).type());
    }

    @Test
    void whatCanFailIsKnown() {
        assertTrue(Operators.arithmetic("+", column("int"), column("int")).canFail());
        assertTrue(Operators.arithmetic("/", column("double"), column("double")).canFail());
        assertTrue(
                !Operators.arithmetic("+", column("double"), column("double")).canFail());
        assertTrue(Operators.cast(column("text"), DataType.INT, false).canFail());
        assertTrue(!Operators.cast(column("text"), DataType.INT, true).canFail());
        assertTrue(!Operators.cast(column("int"), DataType.TEXT, false).canFail());
        assertTrue(!Operators.compare("<", column("int"), column("long")).canFail());
    }
}
