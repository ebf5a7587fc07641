package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.stream.IntStream;
import net.sf.jsqlparser.expression.ArrayConstructor;
import net.sf.jsqlparser.expression.ArrayExpression;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.expression.JsonExpression;
import net.sf.jsqlparser.expression.JsonFunction;
import net.sf.jsqlparser.expression.RowGetExpression;
import net.sf.jsqlparser.expression.SignedExpression;
import net.sf.jsqlparser.expression.StringValue;
import net.sf.jsqlparser.expression.StructType;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.SelectItem;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;

/** Columns, fields and elements: {@code scans.device.model}, {@code stops[1].depot}, {@code array[1, 2]}. */
final class NestedTranslation {

    private final ExpressionResolver resolver;

    NestedTranslation(ExpressionResolver resolver) {
        this.resolver = resolver;
    }

    /** A column, or a field inside the column that the first parts of the name mean. */
    Expression column(Column node) {
        List<String> parts = SqlNames.nameParts(node);
        Expression column = column(parts);
        return node.getArrayConstructor() == null ? column : element(column, node.getArrayConstructor());
    }

    private Expression column(List<String> parts) {
        Scope scope = resolver.scope();
        for (int n = parts.size(); n > 0; n--) {
            String name = String.join(".", parts.subList(0, n));
            if (n == parts.size() ? scope.knows(name) : isNested(scope, name)) {
                Expression value = scope.column(name);
                for (String field : parts.subList(n, parts.size())) {
                    value = Functions.field(value, field);
                }
                return value;
            }
        }
        return scope.column(String.join(".", parts));
    }

    /** Whether a name means a column that has fields. */
    private static boolean isNested(Scope scope, String name) {
        return scope.knows(name) && hasFields(scope.column(name).type());
    }

    private static boolean hasFields(DataType type) {
        return type instanceof DataType.Struct || type instanceof DataType.ListOf list && hasFields(list.element());
    }

    /** {@code list[position]} or {@code list[from:to]}. */
    private Expression element(Expression list, ArrayConstructor index) {
        if (index.getExpressions().size() != 1) {
            throw Refused.unsupported("an index of several numbers", "write one behind the other: list[1][2]");
        }
        return element(list, index.getExpressions().get(0));
    }

    private Expression element(Expression list, net.sf.jsqlparser.expression.Expression inside) {
        boolean negative = inside instanceof SignedExpression signed && isRange(signed.getExpression());
        net.sf.jsqlparser.expression.Expression range = negative ? ((SignedExpression) inside).getExpression() : inside;
        if (isRange(range)) {
            JsonExpression bounds = (JsonExpression) range;
            Expression from = resolver.resolve(bounds.getExpression());
            return slice(
                    list,
                    negative ? Operators.negate(from) : from,
                    resolver.resolve(bounds.getIdent(0).getKey()));
        }
        return Functions.call("element_at", List.of(list, resolver.resolve(inside)));
    }

    /** The parser takes the colon between two positions for an access to JSON. */
    private static boolean isRange(net.sf.jsqlparser.expression.Expression e) {
        return e instanceof JsonExpression json
                && json.getIdentList().size() == 1
                && json.getIdent(0).getValue().equals(":");
    }

    Expression element(ArrayExpression node) {
        Expression list = resolver.resolve(node.getObjExpression());
        if (node.getIndexExpression() != null) {
            return element(list, node.getIndexExpression());
        }
        Expression from = node.getStartIndexExpression() == null
                ? new Literal(1, DataType.INT)
                : resolver.resolve(node.getStartIndexExpression());
        Expression to = node.getStopIndexExpression() == null
                ? new Literal(-1, DataType.INT)
                : resolver.resolve(node.getStopIndexExpression());
        return slice(list, from, to);
    }

    private static Expression slice(Expression list, Expression from, Expression to) {
        return Functions.call("slice", List.of(list, from, to));
    }

    Expression list(ArrayConstructor node) {
        return Functions.call(
                "list", node.getExpressions().stream().map(resolver::resolve).toList());
    }

    /** {@code (value).field}, {@code list[1].field}. */
    Expression field(RowGetExpression node) {
        return Functions.field(resolver.resolve(node.getExpression()), SqlNames.unquoted(node.getColumnName()));
    }

    /** {@code function(…).field}. */
    Expression fieldOf(Expression value, Function node) {
        Expression result = value;
        if (node.getAttribute() instanceof Column column) {
            for (String field : SqlNames.nameParts(column)) {
                result = Functions.field(result, field);
            }
        }
        return result;
    }

    /** {@code struct(value as name, …)} or {@code struct('name', value, …)}. */
    Expression struct(StructType node) {
        if (node.getParameters() != null && !node.getParameters().isEmpty()) {
            throw Refused.unsupported("a struct with types", "use struct(value as name, …)");
        }
        List<Expression> args = new ArrayList<>();
        boolean hasAliases = node.getArguments().stream().anyMatch(i -> i.getAlias() != null);
        boolean hasColumns = node.getArguments().stream().anyMatch(i -> i.getExpression() instanceof Column);
        boolean named = hasAliases || hasColumns && !arePairs(node.getArguments());
        for (SelectItem<?> item : node.getArguments()) {
            if (named) {
                args.add(new Literal(name(item), DataType.TEXT));
            }
            args.add(resolver.resolve(item.getExpression()));
        }
        return Functions.call("struct", args);
    }

    /** Whether a text stands before each value, which is its name then. */
    private static boolean arePairs(List<SelectItem<?>> items) {
        return items.size() % 2 == 0
                && IntStream.range(0, items.size())
                        .filter(i -> i % 2 == 0)
                        .allMatch(i -> items.get(i).getExpression() instanceof StringValue);
    }

    private static String name(SelectItem<?> item) {
        if (item.getAlias() != null) {
            return SqlNames.unquoted(item.getAlias().getName());
        }
        if (item.getExpression() instanceof Column column) {
            List<String> parts = SqlNames.nameParts(column);
            return parts.get(parts.size() - 1);
        }
        throw new UserMistake(
                "a field of a struct needs a name, as in: struct(" + item.getExpression() + " as name, …)");
    }

    /** {@code json_value}, {@code json_query} and {@code json_exists}, which have clauses of their own. */
    Expression json(JsonFunction node) {
        String name = "json_" + node.getType().name().toLowerCase(Locale.ROOT);
        boolean known = node.getInputExpression() != null && node.getJsonPathExpression() != null;
        if (!known) {
            throw Refused.unsupported(name + "(…)", "use to_json(struct(…)) or to_json(array[…])");
        }
        boolean odd = node.getWrapperType() != null
                || node.getQuotesType() != null
                || !node.getPassingExpressions().isEmpty()
                || isNotNull(node.getOnEmptyBehavior())
                || isNotNull(node.getOnErrorBehavior());
        if (odd) {
            throw Refused.unsupported(
                    "a clause of " + name + " other than returning and null on empty or error",
                    "use coalesce(" + name + "(…), …)");
        }
        Expression value = Functions.call(
                name,
                List.of(
                        resolver.resolve(node.getInputExpression().getExpression()),
                        resolver.resolve(node.getJsonPathExpression())));
        return node.getReturningType() == null
                ? value
                : Operators.cast(value, DataType.parse(node.getReturningType().toString()), false);
    }

    private static boolean isNotNull(JsonFunction.JsonOnResponseBehavior behavior) {
        return behavior != null && behavior.getType() != JsonFunction.JsonOnResponseBehaviorType.NULL;
    }
}
