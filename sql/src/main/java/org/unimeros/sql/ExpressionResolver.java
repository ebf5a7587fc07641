package org.unimeros.sql;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnyComparisonExpression;
import net.sf.jsqlparser.expression.AnyType;
import net.sf.jsqlparser.expression.ArrayConstructor;
import net.sf.jsqlparser.expression.ArrayExpression;
import net.sf.jsqlparser.expression.BinaryExpression;
import net.sf.jsqlparser.expression.CaseExpression;
import net.sf.jsqlparser.expression.CastExpression;
import net.sf.jsqlparser.expression.DateUnitExpression;
import net.sf.jsqlparser.expression.ExtractExpression;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.expression.IntervalExpression;
import net.sf.jsqlparser.expression.JdbcNamedParameter;
import net.sf.jsqlparser.expression.JsonFunction;
import net.sf.jsqlparser.expression.NotExpression;
import net.sf.jsqlparser.expression.RowGetExpression;
import net.sf.jsqlparser.expression.SignedExpression;
import net.sf.jsqlparser.expression.StructType;
import net.sf.jsqlparser.expression.TimeKeyExpression;
import net.sf.jsqlparser.expression.TimezoneExpression;
import net.sf.jsqlparser.expression.TrimFunction;
import net.sf.jsqlparser.expression.WhenClause;
import net.sf.jsqlparser.expression.operators.arithmetic.Addition;
import net.sf.jsqlparser.expression.operators.arithmetic.Concat;
import net.sf.jsqlparser.expression.operators.arithmetic.Division;
import net.sf.jsqlparser.expression.operators.arithmetic.Modulo;
import net.sf.jsqlparser.expression.operators.arithmetic.Multiplication;
import net.sf.jsqlparser.expression.operators.arithmetic.Subtraction;
import net.sf.jsqlparser.expression.operators.conditional.AndExpression;
import net.sf.jsqlparser.expression.operators.conditional.OrExpression;
import net.sf.jsqlparser.expression.operators.relational.Between;
import net.sf.jsqlparser.expression.operators.relational.ComparisonOperator;
import net.sf.jsqlparser.expression.operators.relational.ExistsExpression;
import net.sf.jsqlparser.expression.operators.relational.InExpression;
import net.sf.jsqlparser.expression.operators.relational.IsBooleanExpression;
import net.sf.jsqlparser.expression.operators.relational.IsDistinctExpression;
import net.sf.jsqlparser.expression.operators.relational.IsNullExpression;
import net.sf.jsqlparser.expression.operators.relational.IsUnknownExpression;
import net.sf.jsqlparser.expression.operators.relational.LikeExpression;
import net.sf.jsqlparser.expression.operators.relational.ParenthesedExpressionList;
import net.sf.jsqlparser.expression.operators.relational.RegExpMatchOperator;
import net.sf.jsqlparser.expression.operators.relational.SimilarToExpression;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.CurrentTime;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.OwnFunctions;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;

/** Gives parsed expressions their meaning in a scope. */
final class ExpressionResolver {

    private final QueryContext context;
    private final SqlText text;
    private final Scope scope;
    private static final int SHORT_CHAIN = 50;

    /** Left sides that are resolved already, until the operator to their right asks for them. */
    private final Map<net.sf.jsqlparser.expression.Expression, Expression> resolved = new IdentityHashMap<>();

    private final NestedTranslation nested = new NestedTranslation(this);

    ExpressionResolver(QueryContext context, Scope scope) {
        this.context = context;
        this.text = context.text();
        this.scope = scope;
    }

    Scope scope() {
        return scope;
    }

    /** Whether a node is, or has inside, an inner query or a window function. */
    static boolean hasInnerRows(net.sf.jsqlparser.expression.Expression node) {
        return InnerRowsFinder.find(node);
    }

    /** The meaning of a node; a mistake in it is reported with its place. */
    Expression resolve(net.sf.jsqlparser.expression.Expression node) {
        Expression known = resolved.remove(node);
        if (known != null) {
            return known;
        }
        resolveLeft(node);
        try {
            Optional<Expression> whole = scope.whole(node);
            Expression meaning = whole.isPresent() ? whole.get() : meaning(node);
            context.limits().require(meaning);
            return meaning;
        } catch (UserMistake e) {
            throw text.at(node, e);
        }
    }

    /** Resolves the left sides of a long chain of operators from the innermost on, so that no call waits for another. */
    private void resolveLeft(net.sf.jsqlparser.expression.Expression node) {
        List<net.sf.jsqlparser.expression.Expression> chain = new ArrayList<>();
        net.sf.jsqlparser.expression.Expression left = node;
        while (isPlainOperator(left) && !resolved.containsKey(left)) {
            left = ((BinaryExpression) left).getLeftExpression();
            chain.add(left);
        }
        if (chain.size() > SHORT_CHAIN) {
            for (int i = chain.size() - 1; i >= 0; i--) {
                resolved.put(chain.get(i), resolve(chain.get(i)));
            }
        }
    }

    /** An operator whose left side is resolved by itself, whatever stands on the right. */
    private static boolean isPlainOperator(net.sf.jsqlparser.expression.Expression node) {
        return node instanceof Concat
                || node instanceof Multiplication
                || node instanceof Division
                || node instanceof Modulo
                || (node instanceof Addition || node instanceof Subtraction)
                        && !(((BinaryExpression) node).getRightExpression() instanceof IntervalExpression)
                        && !(((BinaryExpression) node).getLeftExpression() instanceof IntervalExpression)
                        && TimesInterval.of(((BinaryExpression) node).getLeftExpression())
                                .isEmpty();
    }

    /** The meaning of a condition that rows must fulfil, in which not to be known is as good as to be false. */
    Expression condition(net.sf.jsqlparser.expression.Expression node) {
        if (node instanceof AndExpression) {
            List<Expression> parts = new ArrayList<>();
            net.sf.jsqlparser.expression.Expression rest = node;
            while (rest instanceof AndExpression and) {
                parts.add(condition(and.getRightExpression()));
                rest = and.getLeftExpression();
            }
            parts.add(condition(rest));
            return Operators.and(parts.reversed());
        }
        boolean simpleIn = node instanceof InExpression in && !in.isNot() && in.getRightExpression() instanceof Select;
        if (!simpleIn || scope.isCollecting()) {
            return resolve(node);
        }
        InExpression in = (InExpression) node;
        try {
            return subqueries().inForCertain(valuesOf(in.getLeftExpression()), innerQuery(in.getRightExpression()));
        } catch (UserMistake e) {
            throw text.at(node, e);
        }
    }

    private Expression meaning(net.sf.jsqlparser.expression.Expression node) {
        return switch (node) {
            case Column c -> nested.column(c);
            case RowGetExpression e -> nested.field(e);
            case ArrayExpression e -> nested.element(e);
            case ArrayConstructor a -> nested.list(a);
            case StructType s -> nested.struct(s);
            case JsonFunction j -> nested.json(j);
            case TimezoneExpression z -> zone(z);
            case DateUnitExpression c -> scope.column(c.getType().toString().toLowerCase(Locale.ROOT));
            case AndExpression e -> Operators.and(chain(e, AndExpression.class));
            case OrExpression e -> Operators.or(chain(e, OrExpression.class));
            case NotExpression e -> Operators.not(resolve(e.getExpression()));
            case IsDistinctExpression e -> distinct(e);
            case ComparisonOperator e -> compare(e);
            case Addition e -> sum(e, false);
            case Subtraction e -> sum(e, true);
            case Multiplication e -> Operators.arithmetic("*", left(e), right(e));
            case Division e -> Operators.arithmetic("/", left(e), right(e));
            case Modulo e -> Operators.arithmetic("%", left(e), right(e));
            case Concat e -> Functions.concat(left(e), right(e));
            case SignedExpression e -> signed(e);
            case ParenthesedExpressionList<?> e -> parenthesised(e);
            case Function f -> function(f);
            case AnalyticExpression a -> analytic(a);
            case TrimFunction t -> trim(t);
            case CaseExpression c -> choose(c);
            case CastExpression c -> cast(c);
            case ExtractExpression e -> Functions.extract(e.getName(), resolve(e.getExpression()));
            case IsNullExpression e ->
                negated(e.isNot() || e.isUseNotNull(), new IsNull(resolve(e.getLeftExpression())));
            case IsUnknownExpression e ->
                negated(e.isNot(), new IsNull(Operators.truth(resolve(e.getLeftExpression()), "is unknown")));
            case IsBooleanExpression e -> isTrue(e);
            case Between e -> between(e);
            case InExpression e -> in(e);
            case LikeExpression e -> like(e);
            case SimilarToExpression e ->
                throw Refused.unsupported("similar to", "use like, or matches(text, regular expression)");
            case RegExpMatchOperator e ->
                throw Refused.unsupported(
                        "the operator " + e.getStringExpression(), "use matches(text, regular expression)");
            case ExistsExpression e -> exists(e);
            case Select s -> scalar(innerQuery(s));
            case JdbcNamedParameter p -> context.parameter(p.getName());
            case TimeKeyExpression t -> Literals.currentTime(t.getStringValue());
            default -> Literals.of(node);
        };
    }

    private Expression parenthesised(ParenthesedExpressionList<?> list) {
        if (list.size() != 1) {
            throw Refused.unsupported("a row of values", "compare the columns one by one");
        }
        return resolve(list.get(0));
    }

    /** {@code trim([leading | trailing | both] [characters] from text)}. */
    private Expression trim(TrimFunction t) {
        String function = t.getTrimSpecification() == null
                ? "trim"
                : switch (t.getTrimSpecification()) {
                    case LEADING -> "ltrim";
                    case TRAILING -> "rtrim";
                    case BOTH -> "trim";
                };
        List<Expression> args = new ArrayList<>();
        if (t.getExpression() != null) {
            args.add(resolve(t.getExpression()));
        }
        if (t.getFromExpression() != null) {
            // The characters stand before from, and behind a comma.
            args.add(t.isUsingFromKeyword() ? 0 : args.size(), resolve(t.getFromExpression()));
        }
        return Functions.call(function, args);
    }

    private Expression exists(ExistsExpression e) {
        Plan query = innerQuery(e.getRightExpression());
        return scope.isCollecting()
                ? Literal.TRUE
                : negated(e.isNot(), subqueries().exists(query));
    }

    private Expression scalar(Plan query) {
        return scope.isCollecting()
                ? new Literal(null, query.schema().field(0).type())
                : subqueries().scalar(query);
    }

    private Subqueries subqueries() {
        return new Subqueries(scope.rows());
    }

    private Plan innerQuery(net.sf.jsqlparser.expression.Expression node) {
        if (!(node instanceof Select select)) {
            throw Refused.unsupported(node.toString(), "write a query in parentheses");
        }
        return context.innerQuery(select, scope);
    }

    private Expression compare(ComparisonOperator e) {
        if (e.getRightExpression() instanceof AnyComparisonExpression any) {
            boolean all = any.getAnyType() == AnyType.ALL;
            Expression left = left(e);
            Plan query = innerQuery(any.getSelect());
            return scope.isCollecting() ? Literal.TRUE : subqueries().quantified(comparison(e), left, query, all);
        }
        if (e.getRightExpression() instanceof Function f && isQuantifier(f)) {
            return ofList(e, f);
        }
        boolean rowsOfValues = e.getLeftExpression() instanceof ParenthesedExpressionList<?> l && l.size() > 1;
        if (!rowsOfValues) {
            Expression left = compared(e.getLeftExpression());
            Expression right = compared(e.getRightExpression());
            requireTime(e.getLeftExpression(), right);
            requireTime(e.getRightExpression(), left);
            return Operators.compare(comparison(e), left, right);
        }
        List<Expression> left = valuesOf(e.getLeftExpression());
        List<Expression> right = valuesOf(e.getRightExpression());
        boolean equal = comparison(e).equals("=");
        if (left.size() != right.size() || !equal && !comparison(e).equals("<>")) {
            throw Refused.unsupported("this comparison of rows of values", "compare the columns one by one");
        }
        Expression same = Subqueries.allEqual(left, right);
        return equal ? same : Operators.not(same);
    }

    private static boolean isQuantifier(Function f) {
        boolean named = f.getName().equalsIgnoreCase("any")
                || f.getName().equalsIgnoreCase("some")
                || f.getName().equalsIgnoreCase("all");
        return named && f.getParameters() != null && f.getParameters().size() == 1;
    }

    /** {@code value = any(list)}, {@code value <> all(list)}. */
    private Expression ofList(ComparisonOperator e, Function f) {
        boolean all = f.getName().equalsIgnoreCase("all");
        if (!comparison(e).equals(all ? "<>" : "=")) {
            throw Refused.unsupported(
                    "this comparison with the elements of a list", "use = any(list), <> all(list), or unnest");
        }
        Expression contains =
                Functions.call("contains", List.of(resolve(f.getParameters().get(0)), left(e)));
        return negated(all, contains);
    }

    /** {@code instant at time zone 'name'}. */
    private Expression zone(TimezoneExpression z) {
        Expression time = resolve(z.getLeftExpression());
        for (net.sf.jsqlparser.expression.Expression zone : z.getTimezoneExpressions()) {
            time = Functions.call("at_zone", List.of(time, resolve(zone)));
        }
        return time;
    }

    private List<Expression> valuesOf(net.sf.jsqlparser.expression.Expression e) {
        return e instanceof ParenthesedExpressionList<?> list
                ? list.stream()
                        .map(v -> resolve((net.sf.jsqlparser.expression.Expression) v))
                        .toList()
                : List.of(resolve(e));
    }

    /** {@code is [not] distinct from}: like equality, but nulls are equal to nulls and different from all else. */
    private Expression distinct(IsDistinctExpression e) {
        boolean wantsDistinct =
                !e.getStringExpression().toLowerCase(Locale.ROOT).contains("not");
        return negated(wantsDistinct, Subqueries.notDistinct(left(e), right(e)));
    }

    /** The operands of a chain of one operator. */
    private List<Expression> chain(BinaryExpression e, Class<? extends BinaryExpression> operator) {
        List<Expression> operands = new ArrayList<>();
        net.sf.jsqlparser.expression.Expression rest = e;
        while (operator.isInstance(rest)) {
            operands.add(right((BinaryExpression) rest));
            rest = ((BinaryExpression) rest).getLeftExpression();
        }
        operands.add(resolve(rest));
        return operands.reversed();
    }

    private Expression left(BinaryExpression e) {
        return resolve(e.getLeftExpression());
    }

    private Expression right(BinaryExpression e) {
        return resolve(e.getRightExpression());
    }

    private static String comparison(ComparisonOperator e) {
        String op = e.getStringExpression();
        return op.equals("!=") ? "<>" : op;
    }

    private Expression sum(BinaryExpression e, boolean minus) {
        if (e.getRightExpression() instanceof IntervalExpression i) {
            return Operators.move(left(e), Literals.interval(i), minus);
        }
        if (e.getLeftExpression() instanceof IntervalExpression i && !minus) {
            return Operators.move(right(e), Literals.interval(i), false);
        }
        Optional<TimesInterval> right = TimesInterval.of(e.getRightExpression());
        if (right.isPresent()) {
            return Operators.move(
                    left(e),
                    resolve(right.get().count()),
                    Literals.interval(right.get().interval()),
                    minus);
        }
        Optional<TimesInterval> left = TimesInterval.of(e.getLeftExpression());
        if (left.isPresent() && !minus) {
            return Operators.move(
                    right(e),
                    resolve(left.get().count()),
                    Literals.interval(left.get().interval()),
                    false);
        }
        return Operators.arithmetic(minus ? "-" : "+", left(e), right(e));
    }

    /** {@code count * interval '1' minute}, either way round and in parentheses or not. */
    private record TimesInterval(net.sf.jsqlparser.expression.Expression count, IntervalExpression interval) {
        static Optional<TimesInterval> of(net.sf.jsqlparser.expression.Expression node) {
            net.sf.jsqlparser.expression.Expression bare = bare(node);
            if (!(bare instanceof Multiplication m)) {
                return Optional.empty();
            }
            if (bare(m.getRightExpression()) instanceof IntervalExpression i) {
                return Optional.of(new TimesInterval(m.getLeftExpression(), i));
            }
            return bare(m.getLeftExpression()) instanceof IntervalExpression i
                    ? Optional.of(new TimesInterval(m.getRightExpression(), i))
                    : Optional.empty();
        }

        private static net.sf.jsqlparser.expression.Expression bare(net.sf.jsqlparser.expression.Expression node) {
            return node instanceof ParenthesedExpressionList<?> list && list.size() == 1 ? bare(list.get(0)) : node;
        }
    }

    /** A side of a comparison, where an interval is its number of seconds, as the time between two timestamps is. */
    private Expression compared(net.sf.jsqlparser.expression.Expression node) {
        return node instanceof IntervalExpression i ? Literals.interval(i).seconds() : resolve(node);
    }

    /** A number that happens to stand beside an interval is no time. */
    private static void requireTime(net.sf.jsqlparser.expression.Expression node, Expression other) {
        boolean fits = !(node instanceof IntervalExpression i)
                || other.type().equals(Literals.interval(i).seconds().type());
        if (!fits) {
            throw new UserMistake("an interval can be compared with the time between two timestamps, but found "
                    + other.type() + " (" + other + ")");
        }
    }

    private Expression signed(SignedExpression e) {
        Expression operand = resolve(e.getExpression());
        return switch (e.getSign()) {
            case '-' -> Operators.negate(operand);
            case '+' -> operand;
            default -> throw Refused.unsupported("the operator " + e.getSign(), "write it with arithmetic");
        };
    }

    private Expression function(Function f) {
        return nested.fieldOf(called(f), f);
    }

    private Expression called(Function f) {
        if (Aggregates.isName(f.getName(), functions())) {
            return scope.aggregateOf(AggregateNode.of(f));
        }
        if (f.getName().equalsIgnoreCase("unnest")) {
            throw Refused.unsupported(
                    "unnest in an expression", "write it in from: from rows, unnest(list) as u(value)");
        }
        requireNoAggregate(f);
        boolean isSeries = f.getName().equalsIgnoreCase("series") && f.getParameters() != null;
        if (isSeries && f.getParameters().size() == 3 && f.getParameters().get(2) instanceof IntervalExpression step) {
            return Functions.series(
                    resolve(f.getParameters().get(0)), resolve(f.getParameters().get(1)), Literals.interval(step));
        }
        List<Expression> args = new ArrayList<>();
        if (f.getParameters() != null) {
            f.getParameters().forEach(p -> args.add(resolve(p)));
        }
        if (f.getNamedParameters() != null) {
            args.addAll(named(f));
        }
        if (f.getName().equalsIgnoreCase("grouping") && !args.isEmpty()) {
            return grouping(args);
        }
        if (f.getName().equalsIgnoreCase("now") && args.isEmpty()) {
            return CurrentTime.now();
        }
        if (WindowTranslation.isName(f.getName())) {
            throw new UserMistake(f.getName() + " needs a window, as in: " + f.getName()
                    + "(…) over (partition by depot_id order by day)");
        }
        return Functions.call(f.getName(), args, context.functions());
    }

    /** Does nothing with a call that says nothing which only an aggregate could do. */
    static void requireNoAggregate(Function f) {
        if (f.isDistinct() || f.getOrderByElements() != null) {
            throw Refused.unsupported(
                    "distinct or an order in " + f.getName() + "(…), which is no aggregate,", "leave it out");
        }
    }

    /** The arguments of a call in {@code from}, which has nothing but arguments. */
    static List<net.sf.jsqlparser.expression.Expression> argumentsOfInput(Function f) {
        requireNoAggregate(f);
        if (f.getNamedParameters() != null || f.getAttribute() != null) {
            throw Refused.unsupported("the form " + f + " of an input", "write: " + f.getName() + "(argument, …)");
        }
        List<net.sf.jsqlparser.expression.Expression> arguments = new ArrayList<>();
        if (f.getParameters() != null) {
            f.getParameters().forEach(arguments::add);
        }
        return arguments;
    }

    /** A bit for each key, the last one in the lowest place. */
    private Expression grouping(List<Expression> keys) {
        Expression bits = scope.grouping(keys.get(0));
        for (Expression key : keys.subList(1, keys.size())) {
            Expression shifted = Operators.arithmetic("*", bits, new Literal(2, DataType.INT));
            bits = Operators.arithmetic("+", shifted, scope.grouping(key));
        }
        return bits;
    }

    /** The arguments of a call such as {@code substring(text from 2 for 3)}, in the order of those with commas. */
    private List<Expression> named(Function f) {
        List<Expression> args = new ArrayList<>();
        f.getNamedParameters().forEach(p -> args.add(resolve(p)));
        String form = f.getName().toLowerCase(Locale.ROOT) + " "
                + String.join(" ", f.getNamedParameters().getNames()).strip().toLowerCase(Locale.ROOT);
        return switch (form) {
            case "substring from", "substring from for" -> args;
            case "substring for" -> List.of(args.get(0), new Literal(1, DataType.INT), args.get(1));
            case "position in" -> args;
            default ->
                throw Refused.unsupported("this form of " + f.getName() + "(…)", "write its arguments with commas");
        };
    }

    private Expression analytic(AnalyticExpression a) {
        return switch (a.getType()) {
            case OVER -> scope.window(a);
            case FILTER_ONLY, WITHIN_GROUP -> scope.aggregateOf(AggregateNode.of(a));
            default -> throw Refused.unsupported(a.toString(), "compute it in an inner query");
        };
    }

    /** The aggregate that a call means, its arguments taken in this scope. */
    Aggregate aggregateOf(AggregateNode call) {
        if (call.star() && !call.name().equalsIgnoreCase("count")) {
            throw new UserMistake(call.name() + " needs a value, as in " + call.name() + "(weight_g)");
        }
        List<Expression> args = call.arguments().stream().map(this::resolve).toList();
        List<SortKey> order = call.order().stream()
                .map(e -> SqlExpressions.sortKey(resolve(e.getExpression()), e))
                .toList();
        return Aggregates.of(
                new Aggregates.Call(
                        call.name(),
                        args,
                        call.distinct(),
                        order,
                        call.onlyWhere().map(this::resolve)),
                functions());
    }

    /** Functions and aggregates that the job defines. */
    OwnFunctions functions() {
        return context.functions();
    }

    private Expression choose(CaseExpression c) {
        List<Case.Branch> branches = new ArrayList<>();
        for (WhenClause when : c.getWhenClauses()) {
            Expression condition = c.getSwitchExpression() == null
                    ? resolve(when.getWhenExpression())
                    : Operators.compare("=", resolve(c.getSwitchExpression()), resolve(when.getWhenExpression()));
            branches.add(new Case.Branch(condition, resolve(when.getThenExpression())));
        }
        Expression otherwise =
                c.getElseExpression() == null ? new Literal(null, DataType.NULL) : resolve(c.getElseExpression());
        return Operators.choose(branches, otherwise);
    }

    private Expression cast(CastExpression c) {
        boolean orNull = c.keyword != null && c.keyword.equalsIgnoreCase("try_cast");
        if (c.keyword != null && !c.keyword.isEmpty() && !orNull && !c.keyword.equalsIgnoreCase("cast")) {
            throw Refused.unsupported(c.keyword, "use cast or try_cast");
        }
        Expression value = resolve(c.getLeftExpression());
        return CastLength.of(c.getColDataType().toString()).cast(value, orNull);
    }

    private static Expression negated(boolean not, Expression e) {
        return not ? Operators.not(e) : e;
    }

    private Expression isTrue(IsBooleanExpression e) {
        Expression operand = Operators.truth(resolve(e.getLeftExpression()), "is true");
        Expression wanted = e.isTrue() ? operand : Operators.not(operand);
        Expression exactly = Operators.choose(List.of(new Case.Branch(wanted, Literal.TRUE)), Literal.FALSE);
        return negated(e.isNot(), exactly);
    }

    private Expression between(Between e) {
        Expression value = resolve(e.getLeftExpression());
        Expression start = compared(e.getBetweenExpressionStart());
        Expression end = compared(e.getBetweenExpressionEnd());
        requireTime(e.getBetweenExpressionStart(), value);
        requireTime(e.getBetweenExpressionEnd(), value);
        Expression inside = inside(value, start, end);
        return negated(
                e.isNot(), e.isUsingSymmetric() ? Operators.or(List.of(inside, inside(value, end, start))) : inside);
    }

    private static Expression inside(Expression value, Expression start, Expression end) {
        return Operators.and(List.of(Operators.compare(">=", value, start), Operators.compare("<=", value, end)));
    }

    private Expression in(InExpression e) {
        if (e.getRightExpression() instanceof Select select) {
            List<Expression> left = valuesOf(e.getLeftExpression());
            Plan query = innerQuery(select);
            return scope.isCollecting()
                    ? Literal.TRUE
                    : negated(e.isNot(), subqueries().in(left, query));
        }
        if (!(e.getRightExpression() instanceof ParenthesedExpressionList<?> list)) {
            throw Refused.unsupported(e.toString(), "write the values in parentheses");
        }
        if (e.getLeftExpression() instanceof ParenthesedExpressionList<?> l && l.size() > 1) {
            List<Expression> left = valuesOf(l);
            List<Expression> any = new ArrayList<>();
            list.forEach(v -> any.add(Subqueries.allEqual(left, valuesOf(v))));
            return negated(e.isNot(), Operators.or(any));
        }
        List<Expression> values = new ArrayList<>();
        list.forEach(v -> values.add(resolve(v)));
        return negated(e.isNot(), Operators.in(resolve(e.getLeftExpression()), values));
    }

    private Expression like(LikeExpression e) {
        boolean any = e.getLikeKeyWord() == LikeExpression.KeyWord.ILIKE;
        if (!any && e.getLikeKeyWord() != LikeExpression.KeyWord.LIKE) {
            throw Refused.unsupported(
                    e.getLikeKeyWord().toString().toLowerCase(Locale.ROOT).replace('_', ' '), "use like or matches(…)");
        }
        Expression text = any ? Functions.call("lower", List.of(left(e))) : left(e);
        Expression pattern = any ? Functions.call("lower", List.of(right(e))) : right(e);
        if (e.getEscape() == null) {
            return negated(e.isNot(), Functions.like(text, pattern, Optional.empty()));
        }
        if (!(resolve(e.getEscape()) instanceof Literal l) || !(l.value() instanceof String escape)) {
            throw new UserMistake("escape needs a text of one character, but found " + e.getEscape());
        }
        return negated(e.isNot(), Functions.like(text, pattern, Optional.of(escape)));
    }
}
