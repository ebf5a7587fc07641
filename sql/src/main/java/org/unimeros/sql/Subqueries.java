package org.unimeros.sql;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregate.Kind;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.PlanBuilder;

/** Joins queries inside expressions to the rows of the expression. */
final class Subqueries {

    private final RowSource rows;

    Subqueries(RowSource rows) {
        if (rows == null) {
            throw new UserMistake("a query is not allowed inside this expression; join its rows instead");
        }
        this.rows = rows;
    }

    /** {@code exists (query)}: true or false. */
    Expression exists(Plan query) {
        return mark(Decorrelation.of(withoutDistinct(query), rows.plan()), List.of());
    }

    /** Adds a column that tells whether the query has a row for which all conditions hold, besides its own. */
    private Expression mark(Decorrelation inner, List<Expression> conditions) {
        Expression condition = inner.condition(rows.size(), conditions);
        Plan marked = PlanBuilder.join(rows.plan(), inner.plan(), JoinKind.MARK, JoinMethod.AUTOMATIC, condition);
        rows.widen(marked, condition);
        return rows.column(rows.size() - 1);
    }

    /**
     * {@code left in (query)}. With a null on either side, and nothing equal, the answer is not known: then it depends on
     * whether the query has rows, and whether some of them are null.
     */
    Expression in(List<Expression> left, Plan query) {
        requireSameWidth(left, query);
        if (left.size() > 1) {
            return known(left, query, "=");
        }
        Expression match = matches(left, query, "=", false);
        List<NamedAggregate> counts = new ArrayList<>();
        counts.add(new NamedAggregate(Aggregate.countRows(), "all"));
        counts.add(new NamedAggregate(
                new Aggregate(Kind.COUNT, PlanBuilder.column(query.schema(), 0), DataType.LONG), "present"));
        int first = values(new Group(query, List.of(), counts));
        Expression all = zeroForNull(rows.column(first));
        Expression present = zeroForNull(rows.column(first + 1));
        Expression open = Operators.or(List.of(new IsNull(left.get(0)), Operators.compare("<", present, all)));
        return Operators.choose(
                List.of(
                        new Case.Branch(match, Literal.TRUE),
                        new Case.Branch(Operators.compare("=", all, new Literal(0L, DataType.LONG)), Literal.FALSE),
                        new Case.Branch(open, new Literal(null, DataType.BOOLEAN))),
                Literal.FALSE);
    }

    /** The same where only true counts, as in a condition on rows. */
    Expression inForCertain(List<Expression> left, Plan query) {
        requireSameWidth(left, query);
        return matches(left, query, "=", false);
    }

    private static void requireSameWidth(List<Expression> left, Plan query) {
        if (left.size() != query.schema().size()) {
            throw new UserMistake("in (…) compares " + left.size() + (left.size() == 1 ? " value" : " values")
                    + " with a query of " + query.schema().size() + " columns");
        }
    }

    private static Expression zeroForNull(Expression e) {
        return Functions.call("coalesce", List.of(e, new Literal(0L, DataType.LONG)));
    }

    /** {@code left op any (query)} or {@code left op all (query)}. */
    Expression quantified(String op, Expression left, Plan query, boolean all) {
        if (query.schema().size() != 1) {
            throw new UserMistake("a comparison with any or all needs a query of one column, but found "
                    + query.schema().size());
        }
        if (op.equals("=") && !all) {
            return in(List.of(left), query);
        }
        if (op.equals("<>") && all) {
            return Operators.not(in(List.of(left), query));
        }
        return all ? Operators.not(known(List.of(left), query, negated(op))) : known(List.of(left), query, op);
    }

    private static String negated(String op) {
        return switch (op) {
            case "=" -> "<>";
            case "<>" -> "=";
            case "<" -> ">=";
            case "<=" -> ">";
            case ">" -> "<=";
            default -> "<";
        };
    }

    /** Whether the comparison is true for some row; null when it is for none, but null for some. */
    private Expression known(List<Expression> left, Plan query, String op) {
        Expression match = matches(left, query, op, false);
        Expression open = matches(left, query, op, true);
        return Operators.choose(
                List.of(
                        new Case.Branch(match, Literal.TRUE),
                        new Case.Branch(open, new Literal(null, DataType.BOOLEAN))),
                Literal.FALSE);
    }

    private Expression matches(List<Expression> left, Plan query, String op, boolean wantsNull) {
        Decorrelation inner = Decorrelation.of(withoutDistinct(query), rows.plan());
        List<Expression> right = new ArrayList<>();
        for (int i = 0; i < left.size(); i++) {
            Field field = query.schema().field(i);
            right.add(new Expression.ColumnRef(rows.size() + i, field.fullName(), field.type()));
        }
        Expression comparison =
                op.equals("=") ? allEqual(left, right) : Operators.compare(op, left.get(0), right.get(0));
        return mark(inner, List.of(wantsNull ? new IsNull(comparison) : comparison));
    }

    /** A query of which only matters whether it has a row, not how often. */
    private static Plan withoutDistinct(Plan query) {
        return query instanceof Group g && g.aggregates().isEmpty() && !g.keys().isEmpty()
                ? new Project(g.input(), g.keys())
                : query;
    }

    static Expression allEqual(List<Expression> left, List<Expression> right) {
        if (left.size() != right.size()) {
            throw new UserMistake("rows of " + left.size() + " and of " + right.size() + " values cannot be compared");
        }
        List<Expression> parts = new ArrayList<>();
        for (int i = 0; i < left.size(); i++) {
            parts.add(Operators.compare("=", left.get(i), right.get(i)));
        }
        return Operators.and(parts);
    }

    /** Equal, or both null; never null itself. */
    static Expression notDistinct(Expression a, Expression b) {
        Expression bothNull = Operators.and(List.of(new IsNull(a), new IsNull(b)));
        return Operators.choose(
                List.of(new Case.Branch(Operators.or(List.of(Operators.compare("=", a, b), bothNull)), Literal.TRUE)),
                Literal.FALSE);
    }

    /** The same as two equalities, one of which replaces nulls, so that rows can be found by it. */
    static List<Expression> notDistinctKeys(Expression a, Expression b) {
        Literal any = new Literal(anyValue(a.type()), a.type());
        return List.of(
                Operators.compare("=", new IsNull(a), new IsNull(b)),
                Operators.compare(
                        "=", Functions.call("coalesce", List.of(a, any)), Functions.call("coalesce", List.of(b, any))));
    }

    private static Object anyValue(DataType type) {
        return switch (type) {
            case DataType.Simple.BOOLEAN -> false;
            case DataType.Simple.INT -> 0;
            case DataType.Simple.LONG -> 0L;
            case DataType.Simple.FLOAT -> 0.0f;
            case DataType.Simple.DOUBLE -> 0.0;
            case DataType.Simple.BYTES -> Bytes.of();
            case DataType.Simple.TIME -> LocalTime.MIDNIGHT;
            case DataType.ListOf l -> List.of();
            case DataType.Struct s -> {
                Map<String, Object> fields = new LinkedHashMap<>();
                s.parts().forEach(p -> fields.put(p.name(), anyValue(p.type())));
                yield fields;
            }
            case DataType.Simple.TEXT -> "";
            case DataType.Simple.DATE -> LocalDate.EPOCH;
            case DataType.Simple.TIMESTAMP -> Instant.EPOCH;
            case DataType.Decimal d -> BigDecimal.valueOf(0, d.scale());
            case DataType.Simple.NULL -> null;
        };
    }

    /** The value of a query of one column and at most one row; null without a row. */
    Expression scalar(Plan query) {
        if (query.schema().size() != 1) {
            throw new UserMistake("a query that is used as a value must have one column, but this one has "
                    + query.schema().size());
        }
        return rows.column(values(query));
    }

    /** Adds the columns of a query of at most one row per row outside; returns the position of the first. */
    int values(Plan query) {
        Decorrelation inner = Decorrelation.ofOneRow(query, rows.plan());
        int width = query.schema().size();
        boolean isSummary = inner.whenEmpty().isPresent();
        Plan single = isSummary ? inner.plan() : oneRowEach(inner.plan(), width);
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(single.schema()));
        outputs.add(Named.of("found", Literal.TRUE));
        Plan marked = new Project(single, outputs);
        int leftSize = rows.size();
        Expression condition = inner.condition(leftSize, List.of());
        Plan joined = PlanBuilder.join(rows.plan(), marked, JoinKind.LEFT, JoinMethod.AUTOMATIC, condition);
        List<Named> all = new ArrayList<>(PlanBuilder.columns(joined.schema()));
        Expression found =
                PlanBuilder.column(joined.schema(), leftSize + single.schema().size());
        for (int i = 0; i < width; i++) {
            Expression value = PlanBuilder.column(joined.schema(), leftSize + i);
            Expression result = value;
            if (isSummary) {
                Expression ofNothing =
                        Decorrelation.joined(inner.whenEmpty().get().get(i), 0);
                Expression otherwise = Types.coerce(ofNothing, value.type());
                result = Operators.choose(List.of(new Case.Branch(new IsNull(found), otherwise)), value);
            }
            all.add(Named.of(query.schema().field(i).name(), result));
        }
        // What a summary of nothing is can read the rows around, too.
        List<Expression> depends = new ArrayList<>(List.of(condition));
        inner.whenEmpty().orElse(List.of()).forEach(e -> depends.add(new IsNull(Decorrelation.joined(e, 0))));
        rows.widen(new Project(joined, all), Operators.and(depends));
        return rows.size() - width;
    }

    /** One row for each combination of the columns from a number on; more is an error when it comes up. */
    private static Plan oneRowEach(Plan plan, int width) {
        List<Named> columns = PlanBuilder.columns(plan.schema());
        List<Named> keys = columns.subList(width, columns.size());
        List<NamedAggregate> values = new ArrayList<>();
        for (int i = 0; i < width; i++) {
            Field field = plan.schema().field(i);
            values.add(new NamedAggregate(
                    new Aggregate(Kind.ONLY, columns.get(i).expression(), field.type()), field.name()));
        }
        Group group = new Group(plan, keys, values);
        List<Named> order = new ArrayList<>();
        List<Named> grouped = PlanBuilder.columns(group.schema());
        order.addAll(grouped.subList(keys.size(), grouped.size()));
        order.addAll(grouped.subList(0, keys.size()));
        return new Project(group, order);
    }
}
