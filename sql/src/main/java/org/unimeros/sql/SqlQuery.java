package org.unimeros.sql;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Function;
import net.sf.jsqlparser.expression.LongValue;
import net.sf.jsqlparser.expression.operators.relational.ExpressionList;
import net.sf.jsqlparser.schema.Table;
import net.sf.jsqlparser.statement.Statement;
import net.sf.jsqlparser.statement.select.FromItem;
import net.sf.jsqlparser.statement.select.Limit;
import net.sf.jsqlparser.statement.select.OrderByElement;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.PlainSelect;
import net.sf.jsqlparser.statement.select.Select;
import net.sf.jsqlparser.statement.select.SelectItem;
import net.sf.jsqlparser.statement.select.SetOperation;
import net.sf.jsqlparser.statement.select.SetOperationList;
import net.sf.jsqlparser.statement.select.UnionOp;
import net.sf.jsqlparser.statement.select.WithItem;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.PlanBuilder;

/** Translates a query into a logical plan. */
public final class SqlQuery {

    private final SqlText text;
    private final Function<String, Plan> tables;
    private final Map<String, Plan> withs = new HashMap<>();

    private SqlQuery(String sql, Function<String, Plan> tables) {
        this.text = new SqlText(sql);
        this.tables = tables;
    }

    /**
     * The plan of one query.
     *
     * @param tables gives the rows of a named dataset or path; fails when there is none
     * @throws UserMistake when it cannot be read, is not supported, or does not fit the tables, with the place
     */
    public static Plan plan(String sql, Function<String, Plan> tables) {
        SqlQuery query = new SqlQuery(sql, tables);
        Statement statement = query.text.parse("query", p -> p.Statement());
        if (!(statement instanceof Select select)) {
            throw ExpressionResolver.unsupported(
                    "a statement other than select", "write its result with --to or write(…)");
        }
        return query.select(select);
    }

    private Plan select(Select select) {
        if (select.getWithItemsList() != null) {
            for (WithItem<?> with : select.getWithItemsList()) {
                withs.put(
                        ExpressionResolver.unquoted(with.getAliasName()).toLowerCase(Locale.ROOT),
                        select(with.getSelect()));
            }
        }
        return switch (select) {
            case PlainSelect plain -> limited(new SelectTranslation(plain, orderOf(plain)).plan(), select);
            case SetOperationList set -> limited(ordered(union(set), select), select);
            case ParenthesedSelect inner -> limited(ordered(select(inner.getSelect()), select), select);
            default ->
                throw ExpressionResolver.unsupported(
                        "the form of query " + select.getClass().getSimpleName().toLowerCase(Locale.ROOT),
                        "use select … from …");
        };
    }

    private Plan union(SetOperationList set) {
        List<Select> parts = set.getSelects();
        Plan plan = part(parts.get(0));
        for (int i = 0; i < set.getOperations().size(); i++) {
            SetOperation operation = set.getOperations().get(i);
            if (!(operation instanceof UnionOp union)) {
                throw ExpressionResolver.unsupported(operation.toString().strip(), "use a join on all columns");
            }
            plan = PlanBuilder.union(plan, part(parts.get(i + 1)));
            plan = union.isAll() ? plan : PlanBuilder.distinct(plan);
        }
        Select last = parts.get(parts.size() - 1);
        return last instanceof PlainSelect ? limited(ordered(plan, last), last) : plan;
    }

    /** An order or limit behind the last select of a union is of the union, unless the select is in parentheses. */
    private Plan part(Select select) {
        return select instanceof PlainSelect plain ? new SelectTranslation(plain, List.of()).plan() : select(select);
    }

    private Plan ordered(Plan plan, Select select) {
        if (select.getOrderByElements() == null) {
            return plan;
        }
        ExpressionResolver resolver =
                new ExpressionResolver(text, new RowScope(plan.schema(), "it would belong to the inner query"));
        List<SortKey> keys = select.getOrderByElements().stream()
                .map(e -> SqlExpressions.sortKey(
                        ordinal(e.getExpression(), PlanBuilder.columns(plan.schema()), resolver), e))
                .toList();
        return new Sort(plan, keys);
    }

    private Expression ordinal(
            net.sf.jsqlparser.expression.Expression node, List<Named> outputs, ExpressionResolver resolver) {
        if (!(node instanceof LongValue number)) {
            return resolver.resolve(node);
        }
        return outputs.get(position(number, outputs.size())).expression();
    }

    private int position(LongValue number, int size) {
        long position = number.getValue();
        if (position < 1 || position > size) {
            throw text.at(number, new UserMistake("there is no output column " + position + "; there are " + size));
        }
        return (int) position - 1;
    }

    private static List<OrderByElement> orderOf(Select select) {
        return select.getOrderByElements() == null ? List.of() : select.getOrderByElements();
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
            count = number(select.getFetch().getExpression(), "fetch");
        }
        return offset == 0 && count == Long.MAX_VALUE ? plan : PlanBuilder.limit(plan, offset, count);
    }

    private long number(net.sf.jsqlparser.expression.Expression node, String where) {
        if (node instanceof LongValue value) {
            return value.getValue();
        }
        throw text.at(node, new UserMistake(where + " needs a whole number, but found " + node));
    }

    private Plan from(FromItem item) {
        Plan plan = switch (item) {
            case Table table -> table(table);
            case ParenthesedSelect inner -> select(inner.getSelect());
            default ->
                throw ExpressionResolver.unsupported(
                        "this kind of input, " + item + ",",
                        "use a dataset, a path in quotes, or a query in parentheses");
        };
        if (item.getAlias() != null) {
            return PlanBuilder.as(
                    plan, ExpressionResolver.unquoted(item.getAlias().getName()));
        }
        return item instanceof Table table ? PlanBuilder.as(plan, shortName(tableName(table))) : plan;
    }

    private Plan table(Table table) {
        String name = tableName(table);
        Plan with = withs.get(name.toLowerCase(Locale.ROOT));
        try {
            return with != null ? with : tables.apply(name);
        } catch (UserMistake e) {
            throw text.at(table, e);
        }
    }

    private static String tableName(Table table) {
        return ExpressionResolver.unquoted(table.getFullyQualifiedName());
    }

    /** The qualifier of a table without alias: the last part of its path, without an ending. */
    static String shortName(String path) {
        String bare = path.replaceAll("[/\\\\]+$", "");
        String last = bare.substring(Math.max(bare.lastIndexOf('/'), bare.lastIndexOf('\\')) + 1);
        int dot = last.indexOf('.');
        return dot > 0 ? last.substring(0, dot) : last;
    }

    private Plan join(Plan left, net.sf.jsqlparser.statement.select.Join join) {
        boolean other = join.isRight() || join.isFull() || join.isSemi() || join.isNatural() || join.isApply();
        if (other) {
            throw ExpressionResolver.unsupported(
                    "this kind of join", "use join or left join, with the inputs in the other order where needed");
        }
        Plan right = from(join.getFromItem());
        JoinKind kind = join.isLeft() ? JoinKind.LEFT : JoinKind.INNER;
        return PlanBuilder.join(left, right, kind, JoinMethod.AUTOMATIC, condition(join, left, right));
    }

    private Expression condition(net.sf.jsqlparser.statement.select.Join join, Plan left, Plan right) {
        Schema both = left.schema().concat(right.schema());
        ExpressionResolver resolver =
                new ExpressionResolver(text, new RowScope(both, "it belongs into select or having"));
        List<Expression> parts = new ArrayList<>();
        for (net.sf.jsqlparser.expression.Expression on : join.getOnExpressions()) {
            parts.add(resolver.resolve(on));
        }
        join.getUsingColumns().forEach(c -> {
            String name = ExpressionResolver.name(c);
            int rightIndex = left.schema().size() + right.schema().resolve(name);
            parts.add(Operators.compare(
                    "=", PlanBuilder.column(both, left.schema().resolve(name)), PlanBuilder.column(both, rightIndex)));
        });
        return parts.isEmpty() ? Literal.TRUE : Operators.and(parts);
    }

    /** One select with its clauses. */
    private final class SelectTranslation {
        private final PlainSelect select;
        private final List<OrderByElement> order;
        private final Plan input;
        private final ExpressionResolver rows;

        SelectTranslation(PlainSelect select, List<OrderByElement> order) {
            this.select = select;
            this.order = order;
            refuseUnsupported();
            Plan from = select.getFromItem() == null ? oneRow() : from(select.getFromItem());
            if (select.getJoins() != null) {
                for (net.sf.jsqlparser.statement.select.Join join : select.getJoins()) {
                    from = join(from, join);
                }
            }
            ExpressionResolver where = new ExpressionResolver(
                    text, new RowScope(from.schema(), "a condition on aggregates belongs into having"));
            this.input = select.getWhere() == null ? from : PlanBuilder.where(from, where.resolve(select.getWhere()));
            this.rows = new ExpressionResolver(text, new RowScope(input.schema(), "aggregates cannot be nested"));
        }

        private void refuseUnsupported() {
            if (select.getIntoTables() != null || select.getLateralViews() != null || select.getQualify() != null) {
                throw ExpressionResolver.unsupported(
                        "a clause of this query", "use select, from, where, group by, having, order by, limit");
            }
        }

        private static Plan oneRow() {
            return new Inline(new Schema(List.of()), List.of(new Batch(1)));
        }

        Plan plan() {
            boolean grouped = select.getGroupBy() != null
                    || select.getHaving() != null
                    || select.getSelectItems().stream().anyMatch(i -> AggregateFinder.hasAggregate(i.getExpression()));
            return grouped ? grouped() : finished(input, rows, input.schema());
        }

        private Plan grouped() {
            GroupScope scope = new GroupScope(rows, groupKeys());
            ExpressionResolver groups = new ExpressionResolver(text, scope);
            // Resolving everything once collects the aggregates; only then is the schema of the grouping complete.
            select.getSelectItems().forEach(i -> {
                if (!(i.getExpression() instanceof net.sf.jsqlparser.statement.select.AllColumns)) {
                    groups.resolve(i.getExpression());
                }
            });
            Expression having = select.getHaving() == null ? null : groups.resolve(select.getHaving());
            order.stream()
                    .filter(e -> AggregateFinder.hasAggregate(e.getExpression()))
                    .forEach(e -> groups.resolve(e.getExpression()));
            Plan group = scope.group(input);
            Plan kept = having == null ? group : PlanBuilder.where(group, having);
            return finished(kept, groups, group.schema());
        }

        private List<Named> groupKeys() {
            List<Named> keys = new ArrayList<>();
            if (select.getGroupBy() == null) {
                return keys;
            }
            if (select.getGroupBy().getGroupingSets() != null
                    && !select.getGroupBy().getGroupingSets().isEmpty()) {
                throw ExpressionResolver.unsupported("grouping sets", "use a union of several group by queries");
            }
            ExpressionList<?> written = select.getGroupBy().getGroupByExpressionList();
            for (net.sf.jsqlparser.expression.Expression e : written) {
                keys.add(groupKey(e));
            }
            return keys;
        }

        private Named groupKey(net.sf.jsqlparser.expression.Expression e) {
            net.sf.jsqlparser.expression.Expression meant = e;
            if (e instanceof LongValue number) {
                meant = select.getSelectItems()
                        .get(position(number, select.getSelectItems().size()))
                        .getExpression();
            } else {
                for (SelectItem<?> item : select.getSelectItems()) {
                    boolean isAlias = item.getAlias() != null
                            && e instanceof net.sf.jsqlparser.schema.Column c
                            && input.schema().indexOf(ExpressionResolver.name(c)) < 0
                            && ExpressionResolver.unquoted(item.getAlias().getName())
                                    .equalsIgnoreCase(ExpressionResolver.name(c));
                    meant = isAlias ? item.getExpression() : meant;
                }
            }
            return SqlExpressions.named(rows.resolve(meant), meant, null, input.schema());
        }

        /** Select list, distinct and order. An order can also name what is not selected. */
        private Plan finished(Plan from, ExpressionResolver resolver, Schema schema) {
            List<Named> outputs =
                    SqlExpressions.selectItems(new ArrayList<>(select.getSelectItems()), text, schema, resolver);
            boolean distinct = select.getDistinct() != null;
            List<Named> wider = new ArrayList<>(outputs);
            List<Integer> places = new ArrayList<>();
            for (OrderByElement e : order) {
                int place = outputPlace(e, outputs);
                if (place < 0) {
                    Expression key = resolver.resolve(e.getExpression());
                    place = place(wider, key);
                    if (place < 0 && distinct) {
                        throw text.at(
                                e.getExpression(),
                                new UserMistake(
                                        "with select distinct, order by can only name what is selected, but found "
                                                + key));
                    }
                    if (place < 0) {
                        place = wider.size();
                        wider.add(Named.of("order " + place, key));
                    }
                }
                places.add(place);
            }
            Plan plan = PlanBuilder.select(from, wider);
            plan = distinct ? PlanBuilder.distinct(plan) : plan;
            if (places.isEmpty()) {
                return plan;
            }
            List<SortKey> keys = new ArrayList<>();
            for (int i = 0; i < places.size(); i++) {
                keys.add(SqlExpressions.sortKey(PlanBuilder.column(plan.schema(), places.get(i)), order.get(i)));
            }
            plan = new Sort(plan, keys);
            return wider.size() == outputs.size()
                    ? plan
                    : PlanBuilder.select(
                            plan, PlanBuilder.columns(plan.schema()).subList(0, outputs.size()));
        }

        private static int place(List<Named> outputs, Expression key) {
            for (int i = 0; i < outputs.size(); i++) {
                if (outputs.get(i).expression().equals(key)) {
                    return i;
                }
            }
            return -1;
        }

        /** The output that an order names by its number or alias, or -1. */
        private int outputPlace(OrderByElement e, List<Named> outputs) {
            if (e.getExpression() instanceof LongValue number) {
                return position(number, outputs.size());
            }
            if (e.getExpression() instanceof net.sf.jsqlparser.schema.Column c) {
                String name = ExpressionResolver.name(c);
                for (int i = 0; i < outputs.size(); i++) {
                    Field field = outputs.get(i).field();
                    if (field.name().equalsIgnoreCase(name) || field.fullName().equalsIgnoreCase(name)) {
                        return i;
                    }
                }
            }
            return -1;
        }
    }
}
