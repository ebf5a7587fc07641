package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;

/** A resolved, typed expression over the columns of an input. Prints itself as SQL. Immutable. */
public sealed interface Expression extends Serializable {

    DataType type();

    /** The expressions that this one is made of. */
    default List<Expression> children() {
        return List.of();
    }

    /** This expression with each direct child replaced. */
    default Expression mapChildren(UnaryOperator<Expression> change) {
        return this;
    }

    /** Whether evaluating it can fail for some value (overflow, division by zero, a cast). */
    default boolean canFail() {
        return children().stream().anyMatch(Expression::canFail);
    }

    /** A column of the input, by position. */
    record ColumnRef(int index, String name, DataType type) implements Expression {
        @Override
        public String toString() {
            return name;
        }
    }

    /**
     * A column of the row of a query around this one, while a plan is being made; no plan that is carried out has any.
     *
     * @param depth 1 for the next query outside
     */
    record Outer(int depth, int index, String name, DataType type) implements Expression {

        /** The same column as seen from a query that stands so many levels deeper. */
        public Outer deeper(int levels) {
            return new Outer(depth + levels, index, name, type);
        }

        @Override
        public String toString() {
            return name;
        }
    }

    /** A constant; {@code value} is as {@link Values#get} returns it. */
    record Literal(Object value, DataType type) implements Expression {
        public static final Literal TRUE = new Literal(true, DataType.BOOLEAN);
        public static final Literal FALSE = new Literal(false, DataType.BOOLEAN);

        @Override
        public String toString() {
            return Values.literal(value);
        }
    }

    /** A function or operator applied to arguments of the types it was resolved for. */
    record Call(ScalarFunction function, List<Expression> args, DataType type) implements Expression {
        public Call {
            args = List.copyOf(args);
        }

        @Override
        public List<Expression> children() {
            return args;
        }

        @Override
        public Call mapChildren(UnaryOperator<Expression> change) {
            return new Call(function, mapAll(args, change), type);
        }

        @Override
        public boolean canFail() {
            return function.canFail() || Expression.super.canFail();
        }

        @Override
        public String toString() {
            return function.print(args);
        }
    }

    /** True when every operand is; operands are evaluated from left to right, and only where still needed. */
    record And(List<Expression> operands) implements Expression {
        public And {
            operands = List.copyOf(operands);
        }

        @Override
        public DataType type() {
            return DataType.BOOLEAN;
        }

        @Override
        public List<Expression> children() {
            return operands;
        }

        @Override
        public And mapChildren(UnaryOperator<Expression> change) {
            return new And(mapAll(operands, change));
        }

        @Override
        public String toString() {
            return joined(operands, " and ");
        }
    }

    /** True when some operand is; evaluated like {@link And}. */
    record Or(List<Expression> operands) implements Expression {
        public Or {
            operands = List.copyOf(operands);
        }

        @Override
        public DataType type() {
            return DataType.BOOLEAN;
        }

        @Override
        public List<Expression> children() {
            return operands;
        }

        @Override
        public Or mapChildren(UnaryOperator<Expression> change) {
            return new Or(mapAll(operands, change));
        }

        @Override
        public String toString() {
            return joined(operands, " or ");
        }
    }

    record Not(Expression operand) implements Expression {
        @Override
        public DataType type() {
            return DataType.BOOLEAN;
        }

        @Override
        public List<Expression> children() {
            return List.of(operand);
        }

        @Override
        public Not mapChildren(UnaryOperator<Expression> change) {
            return new Not(change.apply(operand));
        }

        @Override
        public String toString() {
            return operand instanceof IsNull n ? paren(n.operand) + " is not null" : "not " + paren(operand);
        }
    }

    record IsNull(Expression operand) implements Expression {
        @Override
        public DataType type() {
            return DataType.BOOLEAN;
        }

        @Override
        public List<Expression> children() {
            return List.of(operand);
        }

        @Override
        public IsNull mapChildren(UnaryOperator<Expression> change) {
            return new IsNull(change.apply(operand));
        }

        @Override
        public String toString() {
            return paren(operand) + " is null";
        }
    }

    /** Whether the operand equals one of the values, which are distinct, not null, and of its type. */
    record InList(Expression operand, List<Literal> values) implements Expression {
        public InList {
            values = List.copyOf(values);
        }

        @Override
        public DataType type() {
            return DataType.BOOLEAN;
        }

        @Override
        public List<Expression> children() {
            return List.of(operand);
        }

        @Override
        public InList mapChildren(UnaryOperator<Expression> change) {
            return new InList(change.apply(operand), values);
        }

        @Override
        public String toString() {
            return paren(operand)
                    + values.stream().map(Literal::toString).collect(Collectors.joining(", ", " in (", ")"));
        }
    }

    /** The result of the first branch whose condition is true, else {@code otherwise}. */
    record Case(List<Branch> branches, Expression otherwise, DataType type) implements Expression {
        /** A condition and its result. */
        public record Branch(Expression condition, Expression result) implements Serializable {}

        public Case {
            branches = List.copyOf(branches);
        }

        @Override
        public List<Expression> children() {
            List<Expression> all = new ArrayList<>();
            branches.forEach(b -> {
                all.add(b.condition);
                all.add(b.result);
            });
            all.add(otherwise);
            return all;
        }

        @Override
        public Case mapChildren(UnaryOperator<Expression> change) {
            return new Case(
                    branches.stream()
                            .map(b -> new Branch(change.apply(b.condition), change.apply(b.result)))
                            .toList(),
                    change.apply(otherwise),
                    type);
        }

        @Override
        public String toString() {
            return branches.stream()
                            .map(b -> " when " + b.condition + " then " + b.result)
                            .collect(Collectors.joining("", "case", ""))
                    + (otherwise instanceof Literal l && l.value == null ? "" : " else " + otherwise) + " end";
        }
    }

    /**
     * A conversion. It fails on a value that does not fit, or gives null with {@code orNull}. An implicit one was added
     * to make types meet and is not printed.
     */
    record Cast(Expression operand, DataType type, boolean orNull, boolean implicit) implements Expression {
        @Override
        public List<Expression> children() {
            return List.of(operand);
        }

        @Override
        public Cast mapChildren(UnaryOperator<Expression> change) {
            return new Cast(change.apply(operand), type, orNull, implicit);
        }

        @Override
        public boolean canFail() {
            return !orNull && Casts.canFail(operand.type(), type) || operand.canFail();
        }

        @Override
        public String toString() {
            return implicit ? operand.toString() : (orNull ? "try_cast(" : "cast(") + operand + " as " + type + ")";
        }
    }

    private static List<Expression> mapAll(List<Expression> list, UnaryOperator<Expression> change) {
        return list.stream().map(change).toList();
    }

    private static String joined(List<Expression> operands, String word) {
        return operands.stream().map(Expression::paren).collect(Collectors.joining(word));
    }

    /** The text of an operand, in parentheses where it is itself made of operators. */
    static String paren(Expression e) {
        boolean compound = switch (e) {
            case Cast c ->
                c.implicit() && !paren(c.operand()).equals(c.operand().toString());
            case And a -> true;
            case Or o -> true;
            case Not n -> true;
            case InList i -> true;
            case IsNull i -> true;
            case Call c ->
                c.function().style() != ScalarFunction.Style.CALL
                        && c.function().style() != ScalarFunction.Style.PATTERN;
            case ColumnRef c -> false;
            case Outer o -> false;
            case Literal l -> false;
            case Case c -> false;
        };
        return compound ? "(" + e + ")" : e.toString();
    }
}
