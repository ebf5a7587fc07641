package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.expression.LongValue;
import net.sf.jsqlparser.expression.WindowDefinition;
import net.sf.jsqlparser.expression.operators.relational.ExpressionList;
import net.sf.jsqlparser.expression.operators.relational.ParenthesedExpressionList;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.AllColumns;
import net.sf.jsqlparser.statement.select.GroupByElement;
import net.sf.jsqlparser.statement.select.OrderByElement;
import net.sf.jsqlparser.statement.select.PlainSelect;
import net.sf.jsqlparser.statement.select.SelectItem;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.PlanBuilder;

/** One select with its clauses. */
final class SelectTranslation {

    private final QueryContext context;
    private final Scope outer;
    private final PlainSelect select;
    private final List<OrderByElement> order;
    private final Schema visible;
    private final BitSet hidden;
    private final RowSource rows;
    private final WindowTranslation windows;
    private final List<Named> keys = new ArrayList<>();
    private final List<String> keyTexts = new ArrayList<>();

    SelectTranslation(QueryContext context, Scope outer, PlainSelect select, List<OrderByElement> order) {
        this.context = context;
        this.outer = outer;
        this.select = select;
        this.order = order;
        refuseUnsupported();
        FromTranslation.From from = new FromTranslation(context, outer).from(select);
        this.visible = from.plan().schema();
        this.hidden = from.hidden();
        this.rows = new RowSource(from.plan());
        this.windows = new WindowTranslation(context, namedWindows());
        if (select.getWhere() != null) {
            Expression condition = resolver("a condition on aggregates belongs into having", null)
                    .condition(select.getWhere());
            rows.widen(PlanBuilder.where(rows.plan(), condition));
        }
    }

    private ExpressionResolver resolver(String aggregatesGoTo, WindowTranslation allowed) {
        return new ExpressionResolver(context, new RowScope(outer, visible, rows, aggregatesGoTo, allowed));
    }

    private void refuseUnsupported() {
        // The parser knows clauses of many dialects; none of them is passed over in silence.
        boolean foreign = select.getIntoTables() != null
                || select.getIntoTempTable() != null
                || select.getLateralViews() != null
                || select.getTop() != null
                || select.getFirst() != null
                || select.getSkip() != null
                || select.getPreWhere() != null
                || select.getSettings() != null
                || select.getOptimizeFor() != null
                || select.getKsqlWindow() != null
                || select.getOracleHierarchical() != null
                || select.getPreferringClause() != null
                || select.getForXmlPath() != null
                || select.isUsingFinal()
                || select.isEmitChanges()
                || select.getSampleClause() != null;
        if (foreign) {
            throw Refused.unsupported(
                    "a clause of this query", "use select, from, where, group by, having, window, order by, limit");
        }
    }

    private Map<String, WindowDefinition> namedWindows() {
        Map<String, WindowDefinition> named = new HashMap<>();
        if (select.getWindowDefinitions() != null) {
            select.getWindowDefinitions()
                    .forEach(w -> named.put(w.getWindowName().toLowerCase(Locale.ROOT), w));
        }
        return named;
    }

    Plan plan() {
        boolean grouped = select.getGroupBy() != null
                || select.getHaving() != null
                || select.getSelectItems().stream().anyMatch(i -> hasAggregate(i.getExpression()))
                || order.stream().anyMatch(e -> hasAggregate(e.getExpression()));
        return grouped ? grouped() : single();
    }

    /** Without grouping, unless an inner query turns out to have an aggregate of these rows. */
    private Plan single() {
        Plan before = rows.plan();
        RowScope scope = new RowScope(outer, visible, rows, "aggregates cannot be nested", windows);
        try {
            return finished(rows, new ExpressionResolver(context, scope), visible, hidden);
        } catch (UserMistake e) {
            if (!scope.metAggregate()) {
                throw e;
            }
            rows.widen(before);
            return grouped();
        }
    }

    private boolean hasAggregate(net.sf.jsqlparser.expression.Expression node) {
        RowScope scope = new RowScope(outer, visible, rows, "", null);
        return AggregateFinder.hasAggregate(node, context.functions(), a -> scope.levelOf(a) == 0);
    }

    private Plan grouped() {
        ExpressionResolver ofRows = resolver("aggregates cannot be nested", null);
        GroupingSets sets = groupKeys(ofRows);
        GroupScope scope = new GroupScope(outer, ofRows, keys, keyTexts, sets, windows);
        ExpressionResolver groups = new ExpressionResolver(context, scope);
        // Resolving everything once collects the aggregates; only then is the schema of the grouping complete.
        select.getSelectItems().forEach(i -> {
            if (!(i.getExpression() instanceof AllColumns)) {
                groups.resolve(i.getExpression());
            }
        });
        if (select.getHaving() != null) {
            groups.resolve(select.getHaving());
        }
        order.stream()
                .map(OrderByElement::getExpression)
                .filter(e -> hasAggregate(e) || ExpressionResolver.hasInnerRows(e))
                .forEach(groups::resolve);
        if (select.getQualify() != null) {
            groups.resolve(select.getQualify());
        }
        // The keys and the arguments of aggregates may have inner queries, which are joined to the rows by now.
        Plan group = sets == null
                ? new Group(rows.plan(), keys, scope.aggregates())
                : sets.group(rows.plan(), keys, scope.aggregates());
        RowSource groupRows = new RowSource(group);
        scope.over(groupRows);
        if (select.getHaving() != null) {
            Expression condition = groups.condition(select.getHaving());
            groupRows.widen(PlanBuilder.where(groupRows.plan(), condition));
        }
        BitSet internal = new BitSet();
        if (sets != null) {
            internal.set(keys.size());
        }
        return finished(groupRows, groups, group.schema(), internal);
    }

    /** Fills the keys; returns the grouping sets where there is more than one grouping. */
    private GroupingSets groupKeys(ExpressionResolver ofRows) {
        GroupByElement by = select.getGroupBy();
        if (by == null) {
            return null;
        }
        List<BitSet> sets = new ArrayList<>(List.of(new BitSet()));
        boolean several = false;
        if (by.getGroupByExpressionList() != null) {
            for (net.sf.jsqlparser.expression.Expression e : by.getGroupByExpressionList()) {
                boolean makesSets = e instanceof Function f && isSetFunction(f.getName());
                several |= makesSets;
                sets = GroupingSets.product(sets, makesSets ? setsOf((Function) e, ofRows) : List.of(setOf(e, ofRows)));
            }
        }
        if (by.getGroupingSets() != null && !by.getGroupingSets().isEmpty()) {
            several = true;
            List<BitSet> listed = new ArrayList<>();
            for (Object set : by.getGroupingSets()) {
                listed.add(
                        set instanceof ExpressionList<?> list
                                ? setOf(list, ofRows)
                                : setOf((net.sf.jsqlparser.expression.Expression) set, ofRows));
            }
            sets = GroupingSets.product(sets, listed);
        }
        return several ? new GroupingSets(sets) : null;
    }

    private static boolean isSetFunction(String name) {
        return name.equalsIgnoreCase("rollup") || name.equalsIgnoreCase("cube");
    }

    private List<BitSet> setsOf(Function f, ExpressionResolver ofRows) {
        List<BitSet> elements = new ArrayList<>();
        f.getParameters().forEach(p -> elements.add(setOf(p, ofRows)));
        return f.getName().equalsIgnoreCase("rollup") ? GroupingSets.rollup(elements) : GroupingSets.cube(elements);
    }

    /** The positions of the keys that an element names: one, or several in parentheses. */
    private BitSet setOf(net.sf.jsqlparser.expression.Expression e, ExpressionResolver ofRows) {
        if (e instanceof ParenthesedExpressionList<?> list) {
            return setOf(list, ofRows);
        }
        BitSet set = new BitSet();
        set.set(key(e, ofRows));
        return set;
    }

    private BitSet setOf(ExpressionList<?> list, ExpressionResolver ofRows) {
        BitSet set = new BitSet();
        list.forEach(e -> set.or(setOf(e, ofRows)));
        return set;
    }

    private int key(net.sf.jsqlparser.expression.Expression e, ExpressionResolver ofRows) {
        net.sf.jsqlparser.expression.Expression meant = e;
        if (e instanceof LongValue number) {
            int position = QueryTranslation.position(
                    context, number, select.getSelectItems().size());
            meant = select.getSelectItems().get(position).getExpression();
        } else {
            for (SelectItem<?> item : select.getSelectItems()) {
                boolean isAlias = item.getAlias() != null
                        && e instanceof Column c
                        && visible.indexOf(SqlNames.name(c)) < 0
                        && SqlNames.unquoted(item.getAlias().getName()).equalsIgnoreCase(SqlNames.name(c));
                meant = isAlias ? item.getExpression() : meant;
            }
        }
        Named key = SqlExpressions.named(ofRows.resolve(meant), meant, null, visible);
        for (int i = 0; i < keys.size(); i++) {
            if (keys.get(i).expression().equals(key.expression())) {
                return i;
            }
        }
        keys.add(key);
        keyTexts.add(meant.toString());
        return keys.size() - 1;
    }

    /** Select list, distinct and order. An order can also name what is not selected. */
    private Plan finished(RowSource from, ExpressionResolver resolver, Schema schema, BitSet notSelected) {
        List<Named> outputs = SqlExpressions.selectItems(
                new ArrayList<>(select.getSelectItems()), context.text(), schema, notSelected, resolver);
        List<SelectItem<?>> onItems =
                select.getDistinct() == null ? null : select.getDistinct().getOnSelectItems();
        List<Expression> firstOf = new ArrayList<>();
        if (onItems != null) {
            onItems.forEach(i -> firstOf.add(resolver.resolve(i.getExpression())));
        }
        boolean distinct = select.getDistinct() != null && onItems == null;
        List<Named> wider = new ArrayList<>(outputs);
        List<Integer> places = new ArrayList<>();
        for (OrderByElement e : order) {
            int place = outputPlace(e, outputs);
            if (place < 0) {
                Expression key = resolver.resolve(e.getExpression());
                place = place(wider, key);
                if (place < 0 && distinct) {
                    throw context.text()
                            .at(
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
        // The condition comes behind all window functions, those of the select list and of the order among them.
        Expression kept = select.getQualify() == null ? null : resolver.condition(select.getQualify());
        Plan rowsKept = kept == null ? from.plan() : PlanBuilder.where(from.plan(), kept);
        if (onItems != null) {
            List<SortKey> keys = new ArrayList<>();
            for (int i = 0; i < places.size(); i++) {
                keys.add(SqlExpressions.sortKey(wider.get(places.get(i)).expression(), order.get(i)));
            }
            rowsKept = FirstRows.ofEach(rowsKept, firstOf, keys);
        }
        Plan plan = PlanBuilder.select(rowsKept, wider);
        plan = distinct ? PlanBuilder.distinct(plan) : plan;
        if (places.isEmpty()) {
            return plan;
        }
        List<SortKey> sortKeys = new ArrayList<>();
        for (int i = 0; i < places.size(); i++) {
            sortKeys.add(SqlExpressions.sortKey(PlanBuilder.column(plan.schema(), places.get(i)), order.get(i)));
        }
        plan = new Sort(plan, sortKeys);
        return wider.size() == outputs.size()
                ? plan
                : PlanBuilder.select(plan, PlanBuilder.columns(plan.schema()).subList(0, outputs.size()));
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
            return QueryTranslation.position(context, number, outputs.size());
        }
        if (e.getExpression() instanceof Column c) {
            String name = SqlNames.name(c);
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
