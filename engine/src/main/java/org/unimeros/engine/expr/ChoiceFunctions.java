package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Outer;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/** Functions that choose among values. */
final class ChoiceFunctions {

    private ChoiceFunctions() {}

    static void define(Functions.Table t) {
        t.define("coalesce", 1, 99, ChoiceFunctions::coalesce);
        t.define("ifnull", 2, 2, ChoiceFunctions::coalesce);
        t.define(
                "nullif",
                2,
                2,
                args -> Operators.choose(
                        List.of(new Case.Branch(
                                Operators.compare("=", args.get(0), args.get(1)),
                                new Literal(null, args.get(0).type()))),
                        args.get(0)));
        t.define("greatest", 1, 99, args -> extreme(">=", args));
        t.define("least", 1, 99, args -> extreme("<=", args));
    }

    /**
     * Columns and literals are chosen from by a case, which is fast for them. Anything else is computed once: a case would have it twice,
     * and four times inside another one. What can fail is computed only for the rows that need it.
     */
    private static Expression coalesce(List<Expression> args) {
        List<Expression> others = args.subList(0, args.size() - 1);
        boolean plain =
                others.stream().allMatch(a -> a instanceof ColumnRef || a instanceof Literal || a instanceof Outer);
        boolean lazy = args.subList(1, args.size()).stream().anyMatch(Expression::canFail);
        if (plain || lazy) {
            Expression rest = args.get(args.size() - 1);
            for (int i = args.size() - 2; i >= 0; i--) {
                Expression present = Operators.not(new IsNull(args.get(i)));
                rest = Operators.choose(List.of(new Case.Branch(present, args.get(i))), rest);
            }
            return rest;
        }
        List<Expression> unified = Types.unify(args, "case");
        DataType type = unified.get(0).type();
        Kernel kernel = (columns, rows, nulls) -> picked(type, columns, rows, (row, c) -> firstPresent(columns, row));
        return new Call(new ScalarFunction("coalesce", ScalarFunction.Style.CALL, false, false, kernel), unified, type);
    }

    private static int firstPresent(Column[] columns, int row) {
        int c = 0;
        while (c < columns.length - 1 && columns[c].isNull(row)) {
            c++;
        }
        return c;
    }

    /** Chooses a column for a row. */
    private interface Choice extends Serializable {
        int of(int row, Column[] columns);
    }

    private static Column picked(DataType type, Column[] columns, int rows, Choice choice) {
        int[] which = new int[rows];
        int[] places = new int[rows];
        for (int i = 0; i < rows; i++) {
            which[i] = choice.of(i, columns);
            places[i] = i;
        }
        ColumnBuilder builder = ColumnBuilder.of(type);
        builder.appendMixed(columns, which, places, rows);
        return builder.build();
    }

    private static Expression extreme(String op, List<Expression> args) {
        if (args.size() > 1) {
            Operators.compare(op, args.get(0), args.get(1));
        }
        List<Expression> unified = Types.unify(args, "comparison " + op);
        DataType type = unified.get(0).type();
        int sign = op.equals(">=") ? 1 : -1;
        Kernel kernel = (columns, rows, nulls) -> picked(type, columns, rows, (row, c) -> extremeOf(c, row, sign));
        String name = op.equals(">=") ? "greatest" : "least";
        return new Call(new ScalarFunction(name, ScalarFunction.Style.CALL, false, false, kernel), unified, type);
    }

    /** The column with the extreme value; one with a null where there is one. */
    private static int extremeOf(Column[] columns, int row, int sign) {
        int best = 0;
        for (int c = 0; c < columns.length; c++) {
            if (columns[c].isNull(row)) {
                return c;
            }
            best = sign * ValueOrder.compare(columns[c], row, columns[best], row) > 0 ? c : best;
        }
        return best;
    }
}
