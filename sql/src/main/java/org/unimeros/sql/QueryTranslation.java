package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import net.sf.jsqlparser.expression.LongValue;
import net.sf.jsqlparser.statement.select.ExceptOp;
import net.sf.jsqlparser.statement.select.IntersectOp;
import net.sf.jsqlparser.statement.select.Limit;
import net.sf.jsqlparser.statement.select.MinusOp;
import net.sf.jsqlparser.statement.select.OrderByElement;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.PlainSelect;
import net.sf.jsqlparser.statement.select.Select;
import net.sf.jsqlparser.statement.select.SetOperation;
import net.sf.jsqlparser.statement.select.SetOperationList;
import net.sf.jsqlparser.statement.select.TableStatement;
import net.sf.jsqlparser.statement.select.Values;
import net.sf.jsqlparser.statement.select.WithItem;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.SetOperations;

/** Queries as a whole: with, set operations, order and limit. */
final class QueryTranslation {

    private final QueryContext context;
    private final Scope outer;

    /** A translation of queries whose expressions can read the columns of an outer scope, which may be null. */
    QueryTranslation(QueryContext context, Scope outer) {
        this.context = context;
        this.outer = outer;
    }

    Plan query(Select select) {
        QueryContext inside = context;
        if (select.getWithItemsList() != null) {
            // The word stands once, and is said of all.
            boolean isRecursive = select.getWithItemsList().stream().anyMatch(WithItem::isRecursive);
            for (WithItem<?> with : select.getWithItemsList()) {
                String name = SqlNames.unquoted(with.getAliasName());
                List<String> columns = with.getWithItemList() == null
                        ? List.of()
                        : with.getWithItemList().stream().map(Object::toString).toList();
                Plan plan = isRecursive
                        ? new RecursiveTranslation(inside, outer, name, columns).plan(with.getSelect())
                        : FromTranslation.withColumns(
                                new QueryTranslation(inside, outer).query(with.getSelect()), name, columns);
                inside = inside.with(name, PlanBuilder.as(plan, name));
            }
        }
        return new QueryTranslation(inside, outer).body(select);
    }

    private Plan body(Select select) {
        refuseForeign(select);
        return switch (select) {
            case PlainSelect plain ->
                limited(new SelectTranslation(context, outer, plain, orderOf(plain)).plan(), select);
            case SetOperationList set -> limited(ordered(setOperations(set), select), select);
            case ParenthesedSelect inner -> limited(ordered(query(inner.getSelect()), select), select);
            case TableStatement whole ->
                limited(ordered(new FromTranslation(context, outer).rows(whole.getTable()), select), select);
            case Values values -> limited(ordered(ValuesTranslation.plan(values, context, outer), select), select);
            default ->
                throw Refused.unsupported(
                        "the form of query " + select.getClass().getSimpleName().toLowerCase(Locale.ROOT),
                        "use select … from …");
        };
    }

    /** The parser knows clauses of many dialects; none of them is passed over in silence. */
    private static void refuseForeign(Select select) {
        boolean foreign = select.getLimitBy() != null
                || select.getOption() != null
                || select.getForClause() != null
                || select.getForMode() != null
                || select.getInterpolate() != null
                || select.getIsolation() != null;
        if (foreign) {
            throw Refused.unsupported(
                    "a clause of this query", "use select, from, where, group by, having, window, order by, limit");
        }
        if (fetches(select, "PERCENT")) {
            throw Refused.unsupported(
                    "fetch … percent", "keep the rows whose percent_rank() over (order by …) is small enough");
        }
    }

    private static boolean fetches(Select select, String word) {
        return select.getFetch() != null
                && select.getFetch().getFetchParameters().stream()
                        .anyMatch(p -> p.toUpperCase(Locale.ROOT).contains(word));
    }

    /** Intersections bind closer than unions and differences, which go from left to right. */
    private Plan setOperations(SetOperationList set) {
        List<Plan> parts = new ArrayList<>();
        List<SetOperation> operations = new ArrayList<>();
        parts.add(part(set.getSelects().get(0)));
        for (int i = 0; i < set.getOperations().size(); i++) {
            SetOperation operation = set.getOperations().get(i);
            Plan next = part(set.getSelects().get(i + 1));
            if (operation instanceof IntersectOp) {
                parts.add(combined(parts.remove(parts.size() - 1), next, operation));
            } else {
                parts.add(next);
                operations.add(operation);
            }
        }
        Plan plan = parts.get(0);
        for (int i = 0; i < operations.size(); i++) {
            plan = combined(plan, parts.get(i + 1), operations.get(i));
        }
        Select last = set.getSelects().get(set.getSelects().size() - 1);
        return last instanceof PlainSelect ? limited(ordered(plan, last), last) : plan;
    }

    private static Plan combined(Plan first, Plan second, SetOperation operation) {
        String modifier = operation.getModifier();
        if (modifier != null && !modifier.isBlank() && !modifier.strip().matches("(?i)all|distinct")) {
            throw Refused.unsupported(
                    modifier.strip() + " in a set operation", "columns meet by their places; name them in one order");
        }
        return switch (operation) {
            case IntersectOp op -> SetOperations.intersect(first, second, op.isAll());
            case ExceptOp op -> SetOperations.except(first, second, op.isAll());
            case MinusOp op -> SetOperations.except(first, second, op.isAll());
            default -> {
                // Rows that come once in the end need not come once before.
                boolean wasUnion = !operation.isAll()
                        && first instanceof Plan.Group g
                        && g.aggregates().isEmpty()
                        && g.input() instanceof Plan.Union;
                Plan all = PlanBuilder.union(wasUnion ? ((Plan.Group) first).input() : first, second);
                yield operation.isAll() ? all : PlanBuilder.distinct(all);
            }
        };
    }

    /** An order or limit behind the last select of a union is of the union, unless the select is in parentheses. */
    private Plan part(Select select) {
        return select instanceof PlainSelect plain
                ? new SelectTranslation(context, outer, plain, List.of()).plan()
                : query(select);
    }

    private Plan ordered(Plan plan, Select select) {
        if (select.getOrderByElements() == null) {
            return plan;
        }
        Scope scope =
                new RowScope(outer, plan.schema(), new RowSource(plan), "it would belong to the inner query", null);
        ExpressionResolver resolver = new ExpressionResolver(context, scope);
        List<SortKey> keys = orderOf(select).stream()
                .map(e -> SqlExpressions.sortKey(
                        ordinal(e.getExpression(), PlanBuilder.columns(plan.schema()), resolver), e))
                .toList();
        return new Sort(plan, keys);
    }

    private Expression ordinal(
            net.sf.jsqlparser.expression.Expression node, List<Named> outputs, ExpressionResolver resolver) {
        return node instanceof LongValue number
                ? outputs.get(position(context, number, outputs.size())).expression()
                : resolver.resolve(node);
    }

    /** The index of the output column that a number names. */
    static int position(QueryContext context, LongValue number, int size) {
        long position = number.getValue();
        if (position < 1 || position > size) {
            throw context.text()
                    .at(number, new UserMistake("there is no output column " + position + "; there are " + size));
        }
        return (int) position - 1;
    }

    private static List<OrderByElement> orderOf(Select select) {
        return select.getOrderByElements() == null
                ? List.of()
                : select.getOrderByElements().stream()
                        .map(SqlExpressions::byColumnKey)
                        .toList();
    }

    private Plan limited(Plan plan, Select select) {
        Limit limit = select.getLimit();
        long offset = 0;
        long count = Long.MAX_VALUE;
        if (select.getOffset() != null) {
            offset = number(select.getOffset().getOffset(), "offset");
        }
        if (limit != null) {
            count = limit.getRowCount() == null ? count : number(limit.getRowCount(), "limit");
            offset = limit.getOffset() == null ? offset : number(limit.getOffset(), "offset");
        }
        if (select.getFetch() != null) {
            // Without a number, one row is fetched.
            count = select.getFetch().getExpression() == null
                    ? 1
                    : number(select.getFetch().getExpression(), "fetch");
        }
        if (fetches(select, "TIES")) {
            return FirstRows.withTies(plan, offset, count);
        }
        return offset == 0 && count == Long.MAX_VALUE ? plan : PlanBuilder.limit(plan, offset, count);
    }

    private long number(net.sf.jsqlparser.expression.Expression node, String what) {
        if (node instanceof net.sf.jsqlparser.expression.AllValue
                || node instanceof net.sf.jsqlparser.expression.NullValue) {
            return Long.MAX_VALUE;
        }
        Scope nothing = new RowScope(null, new Schema(List.of()), null, "use a number", null);
        Expression value = new ExpressionResolver(context, nothing).resolve(node);
        if (value instanceof Literal l && (l.value() instanceof Integer || l.value() instanceof Long)) {
            return ((Number) l.value()).longValue();
        }
        throw new UserMistake(what + " needs a whole number, but found " + node);
    }
}
