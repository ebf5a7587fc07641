package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import net.sf.jsqlparser.expression.Alias;
import net.sf.jsqlparser.expression.KeyExpression;
import net.sf.jsqlparser.expression.RowGetExpression;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.AllColumns;
import net.sf.jsqlparser.statement.select.AllTableColumns;
import net.sf.jsqlparser.statement.select.OrderByElement;
import net.sf.jsqlparser.statement.select.SelectItem;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.OwnFunctions;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.PlanBuilder;

/** The texts that calls take: conditions, lists of columns, aggregates and orders. */
public final class SqlExpressions {

    private static final String USE_SUMMARISE = "use groupBy(…).summarise(…)";

    /** Without functions of a job. */
    public static final SqlExpressions PLAIN = new SqlExpressions(new OwnFunctions());

    private final OwnFunctions functions;

    /** @param functions of the job, which texts can call */
    public SqlExpressions(OwnFunctions functions) {
        this.functions = functions;
    }

    /**
     * One expression over the columns of a schema.
     *
     * @throws UserMistake when it cannot be read or does not fit the schema, with the place
     */
    public Expression expression(String sql, Schema schema) {
        SqlText text = new SqlText(sql);
        net.sf.jsqlparser.expression.Expression node = text.parse("expression", p -> p.Expression());
        return resolver(text, schema, USE_SUMMARISE).resolve(node);
    }

    private ExpressionResolver resolver(SqlText text, Schema schema, String aggregatesGoTo) {
        QueryContext context = QueryContext.ofExpression(text, functions);
        return new ExpressionResolver(context, new RowScope(null, schema, null, aggregatesGoTo, null));
    }

    /** The rows of a plan with other columns, in which window functions are allowed. */
    public Plan select(Plan plan, String sql) {
        SqlText text = new SqlText(sql);
        List<SelectItem<?>> items = text.parseList("list of columns", p -> p.SelectItem());
        QueryContext context = QueryContext.ofExpression(text, functions);
        RowSource rows = new RowSource(plan);
        WindowTranslation windows = new WindowTranslation(context, Map.of());
        Scope scope = new RowScope(null, plan.schema(), rows, USE_SUMMARISE, windows);
        List<Named> outputs =
                selectItems(items, text, plan.schema(), new BitSet(), new ExpressionResolver(context, scope));
        return PlanBuilder.select(rows.plan(), outputs);
    }

    /** A list such as {@code "depot_id, weight_g / 1000 as weight_kg, *"}. */
    public List<Named> selectList(String sql, Schema schema) {
        SqlText text = new SqlText(sql);
        List<SelectItem<?>> items = text.parseList("list of columns", p -> p.SelectItem());
        return selectItems(items, text, schema, new BitSet(), resolver(text, schema, USE_SUMMARISE));
    }

    /** The outputs that items mean; {@code hidden} columns are left out of {@code *}. */
    static List<Named> selectItems(
            List<SelectItem<?>> items, SqlText text, Schema schema, BitSet hidden, ExpressionResolver resolver) {
        List<Named> outputs = new ArrayList<>();
        for (SelectItem<?> item : items) {
            switch (item.getExpression()) {
                case AllTableColumns all ->
                    outputs.addAll(
                            columnsOf(SqlNames.unquoted(all.getTable().getFullyQualifiedName()), schema, text, item));
                case AllColumns all -> {
                    for (int i = hidden.nextClearBit(0); i < schema.size(); i = hidden.nextClearBit(i + 1)) {
                        outputs.add(new Named(PlanBuilder.column(schema, i), schema.field(i)));
                    }
                }
                case net.sf.jsqlparser.expression.Expression e ->
                    outputs.add(named(resolver.resolve(e), e, item.getAlias(), schema));
            }
        }
        return outputs;
    }

    private static List<Named> columnsOf(String qualifier, Schema schema, SqlText text, SelectItem<?> item) {
        List<Named> outputs = PlanBuilder.columns(schema).stream()
                .filter(n -> qualifier.equalsIgnoreCase(n.field().qualifier()))
                .toList();
        if (outputs.isEmpty()) {
            List<String> known = schema.fields().stream()
                    .map(Field::qualifier)
                    .filter(q -> q != null)
                    .distinct()
                    .toList();
            throw text.at(
                    item.getExpression(),
                    new UserMistake("unknown input " + qualifier + NameSuggestions.hint(qualifier, known)));
        }
        return outputs;
    }

    /** An output keeps the name and qualifier of a plain column, unless it is given another name. */
    static Named named(
            Expression resolved, net.sf.jsqlparser.expression.Expression written, Alias alias, Schema schema) {
        if (alias != null && alias.getAliasColumns() != null) {
            throw Refused.unsupported("a list of names for one value", "give it one name");
        }
        if (alias != null) {
            return Named.of(SqlNames.unquoted(alias.getName()), resolved);
        }
        if (resolved instanceof ColumnRef ref && written instanceof Column) {
            Field field = schema.field(ref.index());
            return new Named(resolved, field);
        }
        return Named.of(name(written), resolved);
    }

    /** A column or field has its own name, anything else that of its text. */
    private static String name(net.sf.jsqlparser.expression.Expression written) {
        return switch (written) {
            case Column c -> SqlNames.unquoted(c.getColumnName());
            case RowGetExpression field -> SqlNames.unquoted(field.getColumnName());
            default -> written.toString().toLowerCase(Locale.ROOT);
        };
    }

    /** The columns or expressions to group by. */
    public List<Named> keys(String sql, Schema schema) {
        SqlText text = new SqlText(sql);
        List<SelectItem<?>> items = text.parseList("list of keys", p -> p.SelectItem());
        return selectItems(items, text, schema, new BitSet(), resolver(text, schema, USE_SUMMARISE));
    }

    /** Aggregates such as {@code "count(*) as parcels"}. */
    public List<NamedAggregate> aggregates(String sql, Schema schema) {
        SqlText text = new SqlText(sql);
        List<SelectItem<?>> items = text.parseList("list of aggregates", p -> p.SelectItem());
        ExpressionResolver rows = resolver(text, schema, "aggregates cannot be nested");
        List<NamedAggregate> all = new ArrayList<>();
        for (SelectItem<?> item : items) {
            OneAggregate collecting = new OneAggregate(rows);
            Expression made = new ExpressionResolver(QueryContext.ofExpression(text, functions), collecting)
                    .resolve(item.getExpression());
            if (collecting.found == null || !(made instanceof ColumnRef)) {
                throw text.at(
                        item.getExpression(),
                        new UserMistake("summarise takes single aggregates, but found " + item
                                + "; compute with them in a derive(…) behind it"));
            }
            String name = item.getAlias() == null
                    ? item.getExpression().toString().toLowerCase(Locale.ROOT)
                    : SqlNames.unquoted(item.getAlias().getName());
            all.add(new NamedAggregate(collecting.found, name));
        }
        return all;
    }

    /** Where only aggregates can stand. */
    private static final class OneAggregate extends Scope {
        private final ExpressionResolver ofRows;
        private Aggregate found;

        OneAggregate(ExpressionResolver ofRows) {
            super(null);
            this.ofRows = ofRows;
        }

        @Override
        Optional<ColumnRef> find(String name) {
            return Optional.empty();
        }

        @Override
        UserMistake unknown(String name) {
            ofRows.resolve(new Column(name));
            return new UserMistake("summarise needs aggregates such as count(*) or sum(" + name + "), but found " + name
                    + "; a key goes into groupBy(…)");
        }

        @Override
        Expression aggregate(AggregateNode call) {
            found = ofRows.aggregateOf(call);
            return new ColumnRef(0, "", found.type());
        }

        @Override
        RowSource rows() {
            return null;
        }
    }

    /** An order such as {@code "day desc, depot_id"}. Nulls come last, and first in a descending order. */
    public List<SortKey> order(String sql, Schema schema) {
        SqlText text = new SqlText(sql);
        ExpressionResolver resolver = resolver(text, schema, USE_SUMMARISE);
        return text.parseList("order", p -> p.OrderByElement()).stream()
                .map(SqlExpressions::byColumnKey)
                .map(e -> sortKey(resolver.resolve(e.getExpression()), e))
                .toList();
    }

    /** The parser takes {@code key desc} for a keyword before a name; a column that is called so is meant. */
    static OrderByElement byColumnKey(OrderByElement element) {
        if (!(element.getExpression() instanceof KeyExpression keyword)) {
            return element;
        }
        String direction = keyword.getExpression().toString().toLowerCase(Locale.ROOT);
        if (!direction.equals("asc") && !direction.equals("desc")) {
            return element;
        }
        return new OrderByElement()
                .withExpression(new Column("key"))
                .withAsc(direction.equals("asc"))
                .withNullOrdering(element.getNullOrdering());
    }

    static SortKey sortKey(Expression resolved, OrderByElement element) {
        boolean descending = !element.isAsc();
        boolean nullsFirst = element.getNullOrdering() == null
                ? descending
                : element.getNullOrdering() == OrderByElement.NullOrdering.NULLS_FIRST;
        return new SortKey(resolved, descending, nullsFirst);
    }
}
