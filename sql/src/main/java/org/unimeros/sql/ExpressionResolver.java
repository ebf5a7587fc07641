package org.unimeros.sql;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnalyticType;
import net.sf.jsqlparser.expression.BinaryExpression;
import net.sf.jsqlparser.expression.BooleanValue;
import net.sf.jsqlparser.expression.CaseExpression;
import net.sf.jsqlparser.expression.CastExpression;
import net.sf.jsqlparser.expression.DateTimeLiteralExpression;
import net.sf.jsqlparser.expression.DateUnitExpression;
import net.sf.jsqlparser.expression.DoubleValue;
import net.sf.jsqlparser.expression.ExtractExpression;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.expression.IntervalExpression;
import net.sf.jsqlparser.expression.LongValue;
import net.sf.jsqlparser.expression.NotExpression;
import net.sf.jsqlparser.expression.NullValue;
import net.sf.jsqlparser.expression.SignedExpression;
import net.sf.jsqlparser.expression.StringValue;
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
import net.sf.jsqlparser.expression.operators.relational.ExpressionList;
import net.sf.jsqlparser.expression.operators.relational.InExpression;
import net.sf.jsqlparser.expression.operators.relational.IsBooleanExpression;
import net.sf.jsqlparser.expression.operators.relational.IsNullExpression;
import net.sf.jsqlparser.expression.operators.relational.LikeExpression;
import net.sf.jsqlparser.expression.operators.relational.ParenthesedExpressionList;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Interval;
import org.unimeros.engine.expr.Operators;

/** Gives parsed expressions their meaning in a scope. */
final class ExpressionResolver {

    private final SqlText text;
    private final Scope scope;

    ExpressionResolver(SqlText text, Scope scope) {
        this.text = text;
        this.scope = scope;
    }

    /** The meaning of a node; a mistake in it is reported with its place. */
    Expression resolve(net.sf.jsqlparser.expression.Expression node) {
        try {
            Optional<Expression> whole = scope.whole(node);
            return whole.isPresent() ? whole.get() : meaning(node);
        } catch (UserMistake e) {
            throw text.at(node, e);
        }
    }

    private Expression meaning(net.sf.jsqlparser.expression.Expression node) {
        return switch (node) {
            case Column c -> scope.column(name(c));
            case DateUnitExpression c -> scope.column(c.getType().toString().toLowerCase(Locale.ROOT));
            case AndExpression e -> Operators.and(both(e));
            case OrExpression e -> Operators.or(both(e));
            case NotExpression e -> Operators.not(resolve(e.getExpression()));
            case ComparisonOperator e -> Operators.compare(comparison(e), left(e), right(e));
            case Addition e -> sum(e, false);
            case Subtraction e -> sum(e, true);
            case Multiplication e -> Operators.arithmetic("*", left(e), right(e));
            case Division e -> Operators.arithmetic("/", left(e), right(e));
            case Modulo e -> Operators.arithmetic("%", left(e), right(e));
            case Concat e -> Functions.call("concat", both(e));
            case SignedExpression e -> signed(e);
            case ParenthesedExpressionList<?> e -> parenthesised(e);
            case Function f -> function(f);
            case AnalyticExpression a -> analytic(a);
            case TrimFunction t -> trim(t);
            case CaseExpression c -> choose(c);
            case CastExpression c -> cast(c);
            case ExtractExpression e -> Functions.extract(e.getName(), resolve(e.getExpression()));
            case IsNullExpression e -> negated(e.isNot(), new IsNull(resolve(e.getLeftExpression())));
            case IsBooleanExpression e -> isTrue(e);
            case Between e -> between(e);
            case InExpression e -> in(e);
            case LikeExpression e -> like(e);
            default -> literal(node);
        };
    }

    private static Expression literal(net.sf.jsqlparser.expression.Expression node) {
        return switch (node) {
            case StringValue s -> new Literal(s.getNotExcapedValue(), DataType.TEXT);
            case LongValue l -> whole(l);
            case DoubleValue d -> fraction(d.toString());
            case BooleanValue b -> b.getValue() ? Literal.TRUE : Literal.FALSE;
            case NullValue n -> new Literal(null, DataType.NULL);
            case DateTimeLiteralExpression d -> time(d);
            case IntervalExpression i ->
                throw new UserMistake(
                        "an interval can only be added to or subtracted from a date or timestamp, as in: at + " + i);
            case Select s -> throw unsupported("a query inside an expression", "join its rows instead");
            default ->
                throw unsupported(node.toString(), "write it with the functions that `unimeros functions` lists");
        };
    }

    static UserMistake unsupported(String what, String instead) {
        return new UserMistake(what + " is not supported; " + instead);
    }

    /** The name of a column, without the quotes of its parts. */
    static String name(Column column) {
        StringBuilder name = new StringBuilder();
        for (String part : column.getFullyQualifiedName().split("\\.(?=(?:[^\"]*\"[^\"]*\")*[^\"]*$)")) {
            name.append(name.isEmpty() ? "" : ".").append(unquoted(part));
        }
        return name.toString();
    }

    static String unquoted(String name) {
        boolean quoted = name.length() >= 2
                && (name.startsWith("\"") && name.endsWith("\"") || name.startsWith("'") && name.endsWith("'"));
        return quoted ? name.substring(1, name.length() - 1) : name;
    }

    private Expression parenthesised(ParenthesedExpressionList<?> list) {
        if (list.size() != 1) {
            throw unsupported("a row of values", "compare the columns one by one");
        }
        return resolve(list.get(0));
    }

    private Expression trim(TrimFunction t) {
        if (t.getTrimSpecification() != null || t.getFromExpression() != null) {
            throw unsupported("trim of other characters than blanks", "use trim(text) or replace(text, what, by)");
        }
        return Functions.call("trim", List.of(resolve(t.getExpression())));
    }

    private List<Expression> both(BinaryExpression e) {
        return List.of(left(e), right(e));
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
            return Operators.move(left(e), interval(i), minus);
        }
        if (e.getLeftExpression() instanceof IntervalExpression i && !minus) {
            return Operators.move(right(e), interval(i), false);
        }
        return Operators.arithmetic(minus ? "-" : "+", left(e), right(e));
    }

    private static Interval interval(IntervalExpression i) {
        String amount = unquoted(String.valueOf(i.getParameter())).strip();
        String written = i.toString();
        String last = written.substring(written.lastIndexOf(' ') + 1);
        String unit = last.endsWith("'") ? null : last;
        if (unit == null && amount.contains(" ")) {
            int blank = amount.indexOf(' ');
            return Interval.of(
                    amount.substring(0, blank), amount.substring(blank + 1).strip());
        }
        return Interval.of(amount, unit == null ? "" : unit);
    }

    private Expression signed(SignedExpression e) {
        Expression operand = resolve(e.getExpression());
        return e.getSign() == '-' ? Operators.negate(operand) : operand;
    }

    private Expression function(Function f) {
        if (Aggregate.isName(f.getName())) {
            return scope.aggregate(f, Optional.empty());
        }
        List<Expression> args = new ArrayList<>();
        if (f.getParameters() != null) {
            f.getParameters().forEach(p -> args.add(resolve(p)));
        }
        if (f.getNamedParameters() != null) {
            f.getNamedParameters().forEach(p -> args.add(resolve(p)));
        }
        return Functions.call(f.getName(), args);
    }

    private Expression analytic(AnalyticExpression a) {
        if (a.getType() != AnalyticType.FILTER_ONLY) {
            throw unsupported("the window function " + a, "group by the columns and join the result");
        }
        Function call = new Function();
        call.setName(a.getName());
        call.setDistinct(a.isDistinct());
        if (!a.isAllColumns()) {
            call.setParameters(new ExpressionList<>(a.getExpression()));
        }
        return scope.aggregate(call, Optional.of(a.getFilterExpression()));
    }

    /** The aggregate that a call means, its arguments taken in this scope. */
    Aggregate aggregateOf(Function call, Optional<net.sf.jsqlparser.expression.Expression> onlyWhere) {
        if (call.isDistinct()) {
            throw unsupported(
                    call.getName() + "(distinct …)",
                    "select distinct the columns in an inner query and aggregate that");
        }
        List<Expression> args = new ArrayList<>();
        ExpressionList<?> given = call.getParameters();
        if (given != null && !GroupScope.isStar(given)) {
            given.forEach(p -> args.add(resolve(p)));
        } else if (!call.getName().equalsIgnoreCase("count")) {
            throw new UserMistake(call.getName() + " needs a value, as in " + call.getName() + "(weight_g)");
        }
        return Aggregate.of(call.getName(), args, onlyWhere.map(this::resolve));
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
        return Operators.cast(
                resolve(c.getLeftExpression()),
                DataType.parse(c.getColDataType().toString()),
                orNull);
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
        Expression inside = Operators.and(List.of(
                Operators.compare(">=", value, resolve(e.getBetweenExpressionStart())),
                Operators.compare("<=", value, resolve(e.getBetweenExpressionEnd()))));
        return negated(e.isNot(), inside);
    }

    private Expression in(InExpression e) {
        if (!(e.getRightExpression() instanceof ParenthesedExpressionList<?> list)) {
            throw unsupported("in with a query", "join its distinct rows instead");
        }
        List<Expression> values = new ArrayList<>();
        list.forEach(v -> values.add(resolve(v)));
        return negated(e.isNot(), Operators.in(resolve(e.getLeftExpression()), values));
    }

    private Expression like(LikeExpression e) {
        boolean plain = e.getEscape() == null && e.getLikeKeyWord() == LikeExpression.KeyWord.LIKE;
        if (!plain) {
            throw unsupported(
                    e.getLikeKeyWord() + (e.getEscape() == null ? "" : " … escape"), "use like, with lower(…)");
        }
        return negated(e.isNot(), Functions.like(left(e), right(e)));
    }

    private static Expression whole(LongValue value) {
        try {
            long number = Long.parseLong(value.getStringValue());
            return number == (int) number
                    ? new Literal((int) number, DataType.INT)
                    : new Literal(number, DataType.LONG);
        } catch (NumberFormatException e) {
            throw new UserMistake(
                    "the number " + value + " is out of range for long; write it as a double: " + value + "e0");
        }
    }

    /** A number with a point is an exact decimal, one with an exponent a double. */
    private static Expression fraction(String text) {
        if (text.toLowerCase(Locale.ROOT).contains("e")) {
            return new Literal(Double.parseDouble(text), DataType.DOUBLE);
        }
        BigDecimal value = new BigDecimal(text);
        int precision = Math.max(value.precision(), value.scale() + 1);
        if (precision > DataType.Decimal.MAX_PRECISION) {
            throw new UserMistake("the number " + text + " has more than " + DataType.Decimal.MAX_PRECISION
                    + " digits; write it as a double: " + text + "e0");
        }
        return new Literal(value, new DataType.Decimal(precision, Math.max(0, value.scale())));
    }

    private static Expression time(DateTimeLiteralExpression d) {
        DataType type = switch (d.getType()) {
            case DATE -> DataType.DATE;
            case TIMESTAMP, TIMESTAMPTZ, DATETIME -> DataType.TIMESTAMP;
            default -> throw unsupported("a literal of type " + d.getType(), "use a date or a timestamp");
        };
        String value = unquoted(d.getValue());
        Object parsed = Parse.value(value, type)
                .orElseThrow(() -> new UserMistake("'" + value + "' is not a " + type + "; write it as "
                        + (type == DataType.DATE ? "date '2031-03-04'" : "timestamp '2031-03-04 16:05:00'")));
        return new Literal(parsed, type);
    }
}
