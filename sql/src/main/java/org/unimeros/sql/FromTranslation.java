package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Locale;
import net.sf.jsqlparser.expression.Alias;
import net.sf.jsqlparser.schema.Table;
import net.sf.jsqlparser.statement.select.FromItem;
import net.sf.jsqlparser.statement.select.Join;
import net.sf.jsqlparser.statement.select.LateralSubSelect;
import net.sf.jsqlparser.statement.select.ParenthesedFromItem;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.PlainSelect;
import net.sf.jsqlparser.statement.select.TableFunction;
import net.sf.jsqlparser.statement.select.Values;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.PlanBuilder;

/** What stands in {@code from}: tables, inner queries, and their joins. */
final class FromTranslation {

    private final QueryContext context;
    private final Scope outer;

    /**
     * The rows of a from clause.
     *
     * @param hidden columns that {@code *} leaves out, since a merged column stands for them
     */
    record From(Plan plan, BitSet hidden) {
        static From of(Plan plan) {
            return new From(plan, new BitSet());
        }
    }

    FromTranslation(QueryContext context, Scope outer) {
        this.context = context;
        this.outer = outer;
    }

    From from(PlainSelect select) {
        if (select.getFromItem() == null) {
            return From.of(new Inline(new Schema(List.of()), List.of(new Batch(1))));
        }
        return joined(item(select.getFromItem()), select.getJoins());
    }

    private From joined(From first, List<Join> joins) {
        From all = first;
        if (joins != null) {
            for (Join join : joins) {
                all = join(all, join);
            }
        }
        return all;
    }

    private From item(FromItem item) {
        From input = input(item);
        if (item.getPivot() == null && item.getUnPivot() == null) {
            return input;
        }
        PivotTranslation pivoting = new PivotTranslation(context, outer, visible(input));
        if (item.getPivot() != null) {
            return From.of(
                    renamed(pivoting.pivot(item.getPivot()), item.getPivot().getAlias()));
        }
        return From.of(
                renamed(pivoting.unpivot(item.getUnPivot()), item.getUnPivot().getAlias()));
    }

    /** The columns that {@code *} means. */
    private static Plan visible(From from) {
        if (from.hidden.isEmpty()) {
            return from.plan;
        }
        List<Named> columns = PlanBuilder.columns(from.plan.schema());
        List<Named> shown = new ArrayList<>();
        for (int i = 0; i < columns.size(); i++) {
            if (!from.hidden.get(i)) {
                shown.add(columns.get(i));
            }
        }
        return PlanBuilder.select(from.plan, shown);
    }

    private From input(FromItem item) {
        if (item.getSampleClause() != null) {
            throw Refused.unsupported("tablesample", "filter by a hash or a remainder of a key, as in: key % 10 = 0");
        }
        return switch (item) {
            case Table table -> From.of(renamed(aliased(table), item.getAlias()));
            case ParenthesedFromItem p -> {
                From inner = joined(item(p.getFromItem()), p.getJoins());
                yield p.getAlias() == null ? inner : From.of(renamed(inner.plan, p.getAlias()));
            }
            case ParenthesedSelect inner ->
                From.of(renamed(new QueryTranslation(context, outer).query(inner.getSelect()), item.getAlias()));
            case TableFunction function ->
                DatasetCall.is(function) ? dataset(function) : unnest(From.of(nothing()), null, function);
            case Values values -> From.of(renamed(ValuesTranslation.plan(values, context, outer), item.getAlias()));
            default ->
                throw Refused.unsupported(
                        "this kind of input, " + item + ",",
                        "use a dataset, a path as in dataset('scans/2031'), or a query in parentheses");
        };
    }

    private From dataset(TableFunction function) {
        DatasetCall call = new DatasetCall(function, context);
        Plan rows = call.plan();
        return From.of(
                function.getAlias() == null
                        ? PlanBuilder.as(rows, shortName(call.first()))
                        : renamed(rows, function.getAlias()));
    }

    private static Plan nothing() {
        return new Inline(new Schema(List.of()), List.of(new Batch(1)));
    }

    /** A plan under another name, with other names for its columns where the alias lists some. */
    static Plan renamed(Plan plan, Alias alias) {
        if (alias == null) {
            return plan;
        }
        Plan named = PlanBuilder.as(plan, SqlNames.unquoted(alias.getName()));
        return alias.getAliasColumns() == null
                ? named
                : withColumns(
                        named,
                        alias.getName(),
                        alias.getAliasColumns().stream().map(c -> c.name).toList());
    }

    /** A plan with other names for its first columns. */
    static Plan withColumns(Plan plan, String owner, List<String> names) {
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(plan.schema()));
        if (names.size() > outputs.size()) {
            throw new UserMistake(owner + " names " + names.size() + " columns, but there are " + outputs.size());
        }
        for (int i = 0; i < names.size(); i++) {
            Field field = outputs.get(i).field();
            String name = SqlNames.unquoted(names.get(i));
            outputs.set(i, new Named(outputs.get(i).expression(), new Field(field.qualifier(), name, field.type())));
        }
        return names.isEmpty() ? plan : PlanBuilder.select(plan, outputs);
    }

    private Plan aliased(Table table) {
        String name;
        try {
            name = tableName(table);
        } catch (UserMistake e) {
            throw context.text().at(table, e);
        }
        Plan plan = table(table, name);
        return table.getAlias() == null ? PlanBuilder.as(plan, shortName(name)) : plan;
    }

    /** All rows of a dataset or view. */
    Plan rows(Table table) {
        return aliased(table);
    }

    private Plan table(Table table, String name) {
        Plan named = context.named().get(name.toLowerCase(Locale.ROOT));
        try {
            return named != null ? named : context.tables().named(name);
        } catch (UserMistake e) {
            throw context.text().at(table, e);
        }
    }

    /**
     * The name of a dataset or the path that stands for one.
     *
     * @throws UserMistake when it is in single quotes, as texts are
     */
    static String tableName(Table table) {
        String name = table.getFullyQualifiedName();
        if (name.startsWith("'")) {
            String path = name.substring(1, name.length() - 1);
            throw new UserMistake(name + " is a text and no name; write dataset(" + name + ") to read it, or \"" + path
                    + "\" in double quotes");
        }
        // The parser takes a path in quotes apart at its points.
        return SqlNames.unquoted(name.replace("\".\"", "."));
    }

    /** The qualifier of a table without alias: the last part of its path, without an ending. */
    static String shortName(String path) {
        String bare = path.replaceAll("[/\\\\]+$", "");
        String last = bare.substring(Math.max(bare.lastIndexOf('/'), bare.lastIndexOf('\\')) + 1);
        int dot = last.indexOf('.');
        return dot > 0 ? last.substring(0, dot) : last;
    }

    private From join(From left, Join join) {
        if (join.isApply() || join.isAsOf() || join.isSemi() || join.isWindowJoin()) {
            throw Refused.unsupported("this kind of join", "use join, left, right, full or cross join, or exists (…)");
        }
        requireWhole(join);
        if (join.getFromItem() instanceof LateralSubSelect lateral) {
            return lateral(left, join, lateral);
        }
        if (join.getFromItem() instanceof TableFunction function && !DatasetCall.is(function)) {
            return unnest(left, join, function);
        }
        From right = item(join.getFromItem());
        List<String> merged = mergedColumns(join, left, right);
        Plan plan = merged.isEmpty()
                ? new OnTranslation(context, outer, join, left.plan, right.plan).plan()
                : joined(join, left, right, equal(merged, left, right));
        int leftSize = left.plan.schema().size();
        BitSet hidden = (BitSet) left.hidden.clone();
        right.hidden.stream().forEach(i -> hidden.set(leftSize + i));
        return merged.isEmpty() ? new From(plan, hidden) : merged(plan, join, merged, left, right, hidden);
    }

    /** What the parser lets pass of a join, and would change what it is. */
    private static void requireWhole(Join join) {
        FromItem item = join.getFromItem();
        boolean isComputed =
                item instanceof LateralSubSelect || item instanceof TableFunction function && !DatasetCall.is(function);
        if (isComputed && (item.getPivot() != null || item.getUnPivot() != null || item.getSampleClause() != null)) {
            throw Refused.unsupported("pivot, unpivot or a sample of " + item, "put it into an inner query");
        }
        if (join.isOuter() && !join.isLeft() && !join.isRight() && !join.isFull()) {
            throw Refused.unsupported("outer join", "say left, right or full");
        }
        boolean hasCondition =
                !join.getOnExpressions().isEmpty() || !join.getUsingColumns().isEmpty() || join.isNatural();
        boolean needsNone = join.isCross() || join.isSimple();
        if (!hasCondition && !needsNone) {
            throw new UserMistake(
                    "a join needs a condition: join … on …, or using (…); all pairs are written as cross join");
        }
        if (join.getOnExpressions().size() > 1) {
            throw Refused.unsupported(
                    "a join with several conditions behind one another", "put the inner join in parentheses");
        }
        if (hasCondition && join.isCross()) {
            throw new UserMistake("a cross join has no condition; write join … on …");
        }
    }

    private static Plan joined(Join join, From left, From right, Expression condition) {
        return join.isRight()
                ? PlanBuilder.rightJoin(left.plan, right.plan, JoinMethod.AUTOMATIC, condition)
                : PlanBuilder.join(left.plan, right.plan, OnTranslation.kind(join), JoinMethod.AUTOMATIC, condition);
    }

    /** The columns of {@code using}, or those that both sides of a natural join have. */
    private static List<String> mergedColumns(Join join, From left, From right) {
        if (!join.isNatural()) {
            return join.getUsingColumns().stream().map(SqlNames::name).toList();
        }
        List<String> common = new ArrayList<>();
        for (int i = 0; i < left.plan.schema().size(); i++) {
            String name = left.plan.schema().field(i).name();
            boolean shared = !left.hidden.get(i) && right.plan.schema().indexOf(name) >= 0;
            if (shared && !common.contains(name)) {
                common.add(name);
            }
        }
        return common;
    }

    private static Expression equal(List<String> names, From left, From right) {
        Schema both = left.plan.schema().concat(right.plan.schema());
        List<Expression> parts = new ArrayList<>();
        for (String name : names) {
            int rightIndex = left.plan.schema().size() + right.plan.schema().resolve(name);
            parts.add(Operators.compare(
                    "=",
                    PlanBuilder.column(both, left.plan.schema().resolve(name)),
                    PlanBuilder.column(both, rightIndex)));
        }
        return Operators.and(parts);
    }

    /** Puts the merged columns, which have no qualifier, before all others, and hides those that they stand for. */
    private static From merged(Plan plan, Join join, List<String> names, From left, From right, BitSet hidden) {
        List<Named> outputs = new ArrayList<>();
        BitSet covered = (BitSet) hidden.clone();
        for (String name : names) {
            int leftIndex = left.plan.schema().resolve(name);
            int rightIndex = left.plan.schema().size() + right.plan.schema().resolve(name);
            Expression a = PlanBuilder.column(plan.schema(), leftIndex);
            Expression b = PlanBuilder.column(plan.schema(), rightIndex);
            Expression either = join.isFull() ? Functions.call("coalesce", List.of(a, b)) : join.isRight() ? b : a;
            outputs.add(Named.of(plan.schema().field(leftIndex).name(), either));
            covered.set(leftIndex);
            covered.set(rightIndex);
        }
        int shift = outputs.size();
        outputs.addAll(PlanBuilder.columns(plan.schema()));
        BitSet shifted = new BitSet();
        covered.stream().forEach(i -> shifted.set(i + shift));
        // A merged column of an earlier join has no qualifier either; the new one goes before it.
        List<Named> distinct = new ArrayList<>(outputs);
        for (int i = shift; i < outputs.size(); i++) {
            Field field = outputs.get(i).field();
            if (field.qualifier() == null && names.stream().anyMatch(field.name()::equalsIgnoreCase)) {
                Field renamed = new Field("merged", field.name(), field.type());
                distinct.set(i, new Named(outputs.get(i).expression(), renamed));
            }
        }
        return new From(PlanBuilder.select(plan, distinct), shifted);
    }

    /** The list of {@code unnest(list)}, or of the rows of a function that the job defines. */
    private Expression list(From left, TableFunction call) {
        Scope scope = new RowScope(outer, left.plan.schema(), null, "compute it in an inner query", null);
        ExpressionResolver resolver = new ExpressionResolver(context, scope);
        List<Expression> args = new ArrayList<>();
        if (!call.isRowsFrom()) {
            ExpressionResolver.argumentsOfInput(call.getFunction()).forEach(p -> args.add(resolver.resolve(p)));
        }
        String name = call.isRowsFrom() ? "" : call.getFunction().getName();
        if (name.equalsIgnoreCase("unnest") && args.size() == 1) {
            return args.get(0);
        }
        return context.functions()
                .rows(name, args)
                .orElseThrow(() -> Refused.unsupported(
                        "the function " + call.getFunction() + " as an input",
                        "use unnest(list), as in: unnest(series(1, 10))"));
    }

    /**
     * {@code unnest(list) [with ordinality] as name(columns)}, the list of the inputs before it; or a function of the job that makes
     * rows.
     */
    private From unnest(From left, Join join, TableFunction call) {
        Expression list = list(left, call);
        boolean keepsEmpty = join != null && join.isLeft();
        boolean always = join == null
                || join.getOnExpressions().stream().allMatch(e -> e.toString().equalsIgnoreCase("true"));
        boolean other = join != null
                && (join.isRight()
                        || join.isFull()
                        || join.isNatural()
                        || !join.getUsingColumns().isEmpty());
        if (other || keepsEmpty && !always) {
            throw Refused.unsupported(
                    "this kind of join with unnest", "use a comma, cross join, join … on, or left join … on true");
        }
        Alias alias = call.getAlias();
        String qualifier = alias == null ? null : SqlNames.unquoted(alias.getName());
        List<String> names = alias == null || alias.getAliasColumns() == null
                ? List.of()
                : alias.getAliasColumns().stream()
                        .map(c -> SqlNames.unquoted(c.name))
                        .toList();
        boolean position = call.getWithClause() != null;
        if (position && !call.getWithClause().equalsIgnoreCase("ordinality")) {
            throw Refused.unsupported("with " + call.getWithClause(), "write: with ordinality");
        }
        Plan unnested = PlanBuilder.unnest(left.plan, list, qualifier, names, position, keepsEmpty);
        if (always) {
            return new From(unnested, left.hidden);
        }
        Scope both = new RowScope(outer, unnested.schema(), null, "it belongs into select or having", null);
        ExpressionResolver conditions = new ExpressionResolver(context, both);
        List<Expression> on =
                join.getOnExpressions().stream().map(conditions::resolve).toList();
        return new From(PlanBuilder.where(unnested, Operators.and(on)), left.hidden);
    }

    /** A query that can read the columns of the inputs before it. */
    private From lateral(From left, Join join, LateralSubSelect lateral) {
        if (join.isRight() || join.isFull()) {
            throw Refused.unsupported("a right or full join with lateral", "use join or left join");
        }
        RowSource rows = new RowSource(left.plan);
        Scope around = new RowScope(outer, left.plan.schema(), rows, "it belongs into the inner query", null);
        Plan query = new QueryTranslation(context, around).query(lateral.getSelect());
        boolean plain =
                join.getOnExpressions().stream().allMatch(e -> e.toString().equalsIgnoreCase("true"));
        if (plain && EmptyGroup.of(query).isPresent()) {
            return lateralValues(left, rows, query, lateral);
        }
        Decorrelation inner = Decorrelation.of(query, left.plan);
        int leftSize = left.plan.schema().size();
        Schema named = renamed(query, lateral.getAlias()).schema();
        Schema both = left.plan.schema().concat(named);
        ExpressionResolver resolver =
                new ExpressionResolver(context, new RowScope(outer, both, null, "it belongs into having", null));
        List<Expression> on =
                join.getOnExpressions().stream().map(resolver::resolve).toList();
        Plan plan = PlanBuilder.join(
                left.plan, inner.plan(), OnTranslation.kind(join), JoinMethod.AUTOMATIC, inner.condition(leftSize, on));
        // What the correlations compare is not for others to see, whatever its name is.
        return new From(columns(plan, leftSize, leftSize, both), left.hidden);
    }

    /** A query that has one row for every row around it, even where there is nothing to summarise. */
    private static From lateralValues(From left, RowSource rows, Plan query, LateralSubSelect lateral) {
        int first = new Subqueries(rows).values(query);
        Schema both =
                left.plan.schema().concat(renamed(query, lateral.getAlias()).schema());
        return new From(columns(rows.plan(), left.plan.schema().size(), first, both), left.hidden);
    }

    /** The first columns of a plan, then those from another place on, by the names of a schema. */
    private static Plan columns(Plan plan, int leftSize, int first, Schema names) {
        List<Named> outputs = new ArrayList<>();
        for (int i = 0; i < names.size(); i++) {
            int place = i < leftSize ? i : first + i - leftSize;
            outputs.add(new Named(PlanBuilder.column(plan.schema(), place), names.field(i)));
        }
        return PlanBuilder.select(plan, outputs);
    }
}
