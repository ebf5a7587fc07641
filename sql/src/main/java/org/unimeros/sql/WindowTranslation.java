package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.IntervalExpression;
import net.sf.jsqlparser.expression.WindowDefinition;
import net.sf.jsqlparser.expression.WindowElement;
import net.sf.jsqlparser.expression.WindowOffset;
import net.sf.jsqlparser.statement.select.OrderByElement;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.WindowFunction.Bound;
import org.unimeros.engine.expr.WindowFunction.BoundKind;
import org.unimeros.engine.expr.WindowFunction.Frame;
import org.unimeros.engine.expr.WindowFunction.Kind;
import org.unimeros.engine.expr.WindowFunction.Unit;
import org.unimeros.engine.expr.Windows;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.NamedWindow;

/** Adds window functions to the rows of an expression. */
final class WindowTranslation {

    private final QueryContext context;
    private final Map<String, WindowDefinition> named;

    /** Windows with a name come from the {@code window} clause, by their names in lower case. */
    WindowTranslation(QueryContext context, Map<String, WindowDefinition> named) {
        this.context = context;
        this.named = named;
    }

    static boolean isName(String name) {
        return Windows.isName(name);
    }

    /** What stands behind {@code over}. */
    private record Over(
            List<? extends net.sf.jsqlparser.expression.Expression> partition,
            List<OrderByElement> order,
            WindowElement frame) {}

    /** Adds a function and returns a reference to its column. */
    Expression add(AnalyticExpression call, Scope scope) {
        RowSource rows = scope.rows();
        if (rows == null && !scope.isCollecting()) {
            throw new UserMistake("a window function is not allowed here; compute it in an inner query");
        }
        ExpressionResolver resolver = new ExpressionResolver(context, scope);
        Over over = over(call);
        List<Expression> partition = new ArrayList<>();
        over.partition.forEach(p -> partition.add(resolver.resolve(p)));
        List<SortKey> order = new ArrayList<>();
        over.order.forEach(o -> order.add(SqlExpressions.sortKey(resolver.resolve(o.getExpression()), o)));
        List<SortKey> frameOrder = order;
        if (over.frame != null && over.frame.getType() == WindowElement.Type.GROUPS) {
            if (order.isEmpty()) {
                throw new UserMistake("a frame in groups needs an order, by which rows are equal or not");
            }
            // Rows that are equal in the order have one number, so that a frame in groups is one of values of these.
            WindowFunction numbering = Windows.of("dense_rank", List.of(), Frame.ALL);
            frameOrder = List.of(SortKey.ascending(
                    scope.isCollecting()
                            ? new Literal(0L, numbering.type())
                            : place(rows, partition, order, numbering)));
        }
        WindowFunction function = function(call, resolver, frame(over.frame, frameOrder, resolver));
        return scope.isCollecting() ? new Literal(null, function.type()) : place(rows, partition, frameOrder, function);
    }

    private Over over(AnalyticExpression call) {
        if (call.getWindowName() == null) {
            return inherited(
                    new Over(
                            call.getPartitionExpressionList() == null ? List.of() : call.getPartitionExpressionList(),
                            call.getOrderByElements() == null ? List.of() : call.getOrderByElements(),
                            call.getWindowElement()),
                    named.size());
        }
        return named(call.getWindowName(), named.size());
    }

    /** A window that is made of one with a name has its partition, and its order, which is given in one of them only. */
    private Over inherited(Over over, int depth) {
        Optional<String> base = NameWords.baseWindow(over.partition);
        if (base.isEmpty()) {
            return over;
        }
        Over from = named(base.get(), depth);
        if (!from.order.isEmpty() && !over.order.isEmpty()) {
            throw new UserMistake("window " + base.get() + " has an order already; one made of it cannot have another");
        }
        if (from.frame != null) {
            throw new UserMistake(
                    "window " + base.get() + " has a frame; a window is only made of one without a frame");
        }
        return new Over(from.partition, from.order.isEmpty() ? over.order : from.order, over.frame);
    }

    /** @param depth how many windows may be made of each other before they go round in a circle */
    private Over named(String name, int depth) {
        WindowDefinition window = named.get(name.toLowerCase(Locale.ROOT));
        if (window == null) {
            throw new UserMistake("unknown window " + name + NameSuggestions.hint(name, named.keySet()));
        }
        if (depth == 0) {
            throw new UserMistake("window " + name + " is made of itself");
        }
        List<net.sf.jsqlparser.expression.Expression> partition = new ArrayList<>();
        if (window.getPartitionExpressionList() != null) {
            for (Object p : window.getPartitionExpressionList()) {
                partition.add((net.sf.jsqlparser.expression.Expression) p);
            }
        }
        return inherited(
                new Over(
                        partition,
                        window.getOrderByElements() == null ? List.of() : window.getOrderByElements(),
                        window.getWindowElement()),
                depth - 1);
    }

    private static Expression place(
            RowSource rows, List<Expression> partition, List<SortKey> order, WindowFunction function) {
        if (rows.plan() instanceof Plan.Window w
                && w.partition().equals(partition)
                && w.order().equals(order)) {
            int inputSize = w.input().schema().size();
            boolean fits = function.expressions().stream()
                    .allMatch(e -> Expressions.columns(e).length() <= inputSize);
            if (fits) {
                List<NamedWindow> all = new ArrayList<>(w.functions());
                for (int i = 0; i < all.size(); i++) {
                    if (all.get(i).function().equals(function)) {
                        return rows.column(inputSize + i);
                    }
                }
                all.add(new NamedWindow(function, function.toString()));
                rows.widen(new Plan.Window(w.input(), partition, order, all));
                return rows.column(rows.size() - 1);
            }
        }
        rows.widen(new Plan.Window(
                rows.plan(), partition, order, List.of(new NamedWindow(function, function.toString()))));
        return rows.column(rows.size() - 1);
    }

    private static WindowFunction function(AnalyticExpression call, ExpressionResolver resolver, Frame frame) {
        String name = call.getName().toLowerCase(Locale.ROOT);
        if (call.isIgnoreNulls() || call.isIgnoreNullsOutside()) {
            throw Refused.unsupported("ignore nulls", "leave the nulls out in an inner query");
        }
        if (Aggregates.isName(name, resolver.functions())) {
            if (call.isDistinct()) {
                throw Refused.unsupported(
                        name + "(distinct …) over a window",
                        "count the first rows of each value, found by row_number()");
            }
            Aggregate a = resolver.aggregateOf(AggregateNode.of(call));
            if (a.kind().isCollecting()) {
                throw Refused.unsupported(
                        name + " over a window", "group by the partition in an inner query and join it");
            }
            return new WindowFunction(Kind.AGGREGATE, a.arguments(), Optional.of(a), 0, frame, a.type());
        }
        if (!Windows.isName(name)) {
            throw new UserMistake("unknown window function " + name + NameSuggestions.hint(name, Windows.names()));
        }
        if (call.getFilterExpression() != null) {
            throw new UserMistake("only aggregates take filter (where …)");
        }
        List<Expression> args = new ArrayList<>();
        AggregateNode.of(call).arguments().forEach(e -> args.add(resolver.resolve(e)));
        return Windows.of(name, args, frame);
    }

    private Frame frame(WindowElement written, List<SortKey> order, ExpressionResolver resolver) {
        if (written == null) {
            return order.isEmpty() ? Frame.ALL : Frame.UP_TO_PEERS;
        }
        if (written.getExclusion() != null) {
            throw Refused.unsupported("exclude in a frame", "subtract the row's own value");
        }
        Unit unit = written.getType() == WindowElement.Type.ROWS ? Unit.ROWS : Unit.RANGE;
        boolean inGroups = written.getType() == WindowElement.Type.GROUPS;
        WindowOffset start = written.getRange() == null
                ? written.getOffset()
                : written.getRange().getStart();
        Bound first = bound(start, unit, inGroups, order, resolver, true);
        Bound last = written.getRange() == null
                ? Bound.of(BoundKind.CURRENT_ROW)
                : bound(written.getRange().getEnd(), unit, inGroups, order, resolver, false);
        if (first.kind().compareTo(last.kind()) > 0) {
            throw new UserMistake("a frame cannot end before it starts: between " + first + " and " + last);
        }
        return new Frame(unit, first, last);
    }

    private static Bound bound(
            WindowOffset offset,
            Unit unit,
            boolean inGroups,
            List<SortKey> order,
            ExpressionResolver resolver,
            boolean isStart) {
        if (offset.getType() == WindowOffset.Type.CURRENT) {
            return Bound.of(BoundKind.CURRENT_ROW);
        }
        boolean preceding = offset.getType() == WindowOffset.Type.PRECEDING
                || offset.getType() == WindowOffset.Type.EXPR && isStart;
        if (offset.getExpression() == null) {
            return Bound.of(preceding ? BoundKind.UNBOUNDED_PRECEDING : BoundKind.UNBOUNDED_FOLLOWING);
        }
        BoundKind kind = preceding ? BoundKind.PRECEDING : BoundKind.FOLLOWING;
        if (unit == Unit.ROWS || inGroups) {
            String counted = inGroups ? "groups" : "rows";
            Expression distance = resolver.resolve(offset.getExpression());
            boolean isWhole = distance.type() == DataType.INT || distance.type() == DataType.LONG;
            if (!isWhole || !(distance instanceof Literal l && l.value() instanceof Number n && n.longValue() >= 0)) {
                throw new UserMistake(
                        "a frame in " + counted + " needs a whole number of " + counted + ", but found " + distance);
            }
            if (!inGroups) {
                return new Bound(kind, n.longValue(), Optional.empty());
            }
        }
        if (order.size() != 1) {
            throw new UserMistake("a frame of values needs an order by one expression, but found " + order.size());
        }
        SortKey key = order.get(0);
        boolean minus = preceding != key.descending();
        Expression value = offset.getExpression() instanceof IntervalExpression i
                ? Operators.move(key.expression(), Literals.interval(i), minus)
                : Operators.arithmetic(minus ? "-" : "+", key.expression(), resolver.resolve(offset.getExpression()));
        if (!value.type().equals(key.expression().type())) {
            if (!key.expression().type().isNumeric() || !value.type().isNumeric()) {
                throw new UserMistake("the distance of a frame must keep the type of the order, "
                        + key.expression().type() + ", but makes it " + value.type());
            }
            value = Types.coerce(value, key.expression().type());
        }
        return new Bound(kind, 0, Optional.of(value));
    }
}
