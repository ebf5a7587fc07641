package org.unimeros.engine.expr;

import java.util.BitSet;
import java.util.List;
import java.util.function.IntUnaryOperator;
import java.util.function.UnaryOperator;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Outer;

/** Questions and changes that concern whole expression trees. */
public final class Expressions {

    private Expressions() {}

    /** Marks the columns that an expression reads. */
    public static void columns(Expression expression, BitSet into) {
        if (expression instanceof ColumnRef ref) {
            into.set(ref.index());
        }
        expression.children().forEach(child -> columns(child, into));
    }

    public static BitSet columns(Expression expression) {
        BitSet set = new BitSet();
        columns(expression, set);
        return set;
    }

    /** Whether some column of an outer query is read. */
    public static boolean hasOuter(Expression expression) {
        return expression instanceof Outer || expression.children().stream().anyMatch(Expressions::hasOuter);
    }

    /** The same expression with every column of an outer query replaced. */
    public static Expression mapOuter(Expression expression, UnaryOperator<Expression> change) {
        return expression instanceof Outer
                ? change.apply(expression)
                : expression.mapChildren(child -> mapOuter(child, change));
    }

    /** The same expression with every column at another position. */
    public static Expression remap(Expression expression, IntUnaryOperator position) {
        if (expression instanceof ColumnRef ref) {
            return new ColumnRef(position.applyAsInt(ref.index()), ref.name(), ref.type());
        }
        return expression.mapChildren(child -> remap(child, position));
    }

    /** The same expression with every column replaced by the expression that makes it. */
    public static Expression substitute(Expression expression, List<Expression> by) {
        if (expression instanceof ColumnRef ref) {
            return by.get(ref.index());
        }
        return expression.mapChildren(child -> substitute(child, by));
    }

    /** Whether code of the job is part of an expression, so that only tasks can compute it. */
    public static boolean hasOwnCode(Expression expression) {
        boolean is = expression instanceof Expression.Call call
                && call.function().kernel() instanceof OwnFunctions.OwnKernel;
        return is || expression.children().stream().anyMatch(Expressions::hasOwnCode);
    }

    private static boolean isSmall(DataType type) {
        return type instanceof DataType.Decimal
                || type instanceof DataType.Simple && type != DataType.TEXT && type != DataType.BYTES;
    }

    /** Replaces what reads no column by its value, unless computing that value fails or may be large. */
    public static Expression fold(Expression expression) {
        Expression folded = expression.mapChildren(Expressions::fold);
        boolean constant = !(folded instanceof Literal)
                && !(folded instanceof ColumnRef)
                && columns(folded).isEmpty()
                && !hasOuter(folded)
                && !hasOwnCode(folded)
                && !CurrentTime.isIn(folded);
        // What can fail can also be large, such as a series of numbers, which a plan should not carry.
        if (!constant || folded.canFail() && !isSmall(folded.type())) {
            return folded;
        }
        try {
            return Evaluator.fold(folded);
        } catch (BadData e) {
            // It fails where a row needs it, if one does.
            return folded;
        }
    }
}
