package org.unimeros.engine.expr;

import java.util.List;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;

/** Functions that choose among values. */
final class ChoiceFunctions {

    private ChoiceFunctions() {}

    static void define(Functions.Table t) {
        t.define(
                "coalesce(value, …)",
                "The first value that is not null; null when all are.",
                "coalesce(null, 'none')",
                "none",
                1,
                99,
                args -> {
                    Expression rest = args.get(args.size() - 1);
                    for (int i = args.size() - 2; i >= 0; i--) {
                        Expression present = Operators.not(new IsNull(args.get(i)));
                        rest = Operators.choose(List.of(new Case.Branch(present, args.get(i))), rest);
                    }
                    return rest;
                });
        t.define(
                "nullif(value, other)",
                "Null when both are equal, else the value.",
                "nullif(0, 0)",
                "",
                2,
                2,
                args -> Operators.choose(
                        List.of(new Case.Branch(
                                Operators.compare("=", args.get(0), args.get(1)),
                                new Literal(null, args.get(0).type()))),
                        args.get(0)));
        t.define(
                "greatest(value, …)",
                "The largest of the values; null when one of them is.",
                "greatest(1, 3, 2)",
                "3",
                1,
                99,
                args -> extreme(">=", args));
        t.define(
                "least(value, …)",
                "The smallest of the values; null when one of them is.",
                "least('b', 'a')",
                "a",
                1,
                99,
                args -> extreme("<=", args));
    }

    private static Expression extreme(String op, List<Expression> args) {
        Expression best = args.get(0);
        for (Expression next : args.subList(1, args.size())) {
            Expression keeps = Operators.compare(op, best, next);
            best = Operators.choose(
                    List.of(new Case.Branch(keeps, best), new Case.Branch(Operators.not(keeps), next)),
                    new Literal(null, DataType.NULL));
        }
        return best;
    }
}
