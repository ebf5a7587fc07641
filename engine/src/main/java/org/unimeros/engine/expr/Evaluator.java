package org.unimeros.engine.expr;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.And;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Cast;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.InList;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Not;
import org.unimeros.engine.expr.Expression.Or;
import org.unimeros.engine.expr.Expression.Outer;
import org.unimeros.engine.expr.OwnFunctions.OwnKernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;
import org.unimeros.engine.own.AggregateCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.own.ValueCode;

/**
 * Evaluates expressions on batches, one node for all rows at a time.
 *
 * <p>An operand that can fail is evaluated only for the rows that need it: the right side of {@code and} where the left
 * is not false, a branch of {@code case} where its condition holds. What is cheap and cannot fail is evaluated for all ({@link LayeredCase}). One evaluator belongs to one task; it keeps the
 * columns of literals and the sets of {@code in} lists.
 */
public final class Evaluator implements AutoCloseable {

    private final Map<Literal, Column> literals = new HashMap<>();
    private final Map<InList, ValueSet> lists = new HashMap<>();
    private final Map<Case, Optional<LayeredCase>> layered = new IdentityHashMap<>();
    /** Code of the job that has been opened. */
    private final Map<OwnKernel, ValueCode.Running> own = new IdentityHashMap<>();

    private final Map<AggregateCode, AggregateCode.Running> ownAggregates = new IdentityHashMap<>();
    private final TaskScope scope;
    private final SpareArrays spare = new SpareArrays();

    /** For expressions outside of tasks. */
    public Evaluator() {
        this(TaskScope.NONE);
    }

    /** @param scope what code of the job is told */
    public Evaluator(TaskScope scope) {
        this.scope = scope;
    }

    /** Whether the task is no longer wanted. */
    public boolean isStopped() {
        return scope.stopped().getAsBoolean();
    }

    /** Closes code of the job. */
    @Override
    public void close() {
        own.values().forEach(ValueCode.Running::close);
        own.clear();
        ownAggregates.values().forEach(AggregateCode.Running::close);
        ownAggregates.clear();
    }

    /** States of an aggregate of the job, whose code is opened once. */
    public AggregateCode.States states(Aggregate.Own aggregate, DataType argument) {
        return ownAggregates
                .computeIfAbsent(aggregate.code(), code -> code.open(scope, argument))
                .states();
    }

    /**
     * The values of an expression for the rows of a batch; the column may be longer than the batch.
     *
     * @throws BadData when there is no value for a row, naming expression and row
     */
    public Column evaluate(Expression expression, Batch batch) {
        return switch (expression) {
            case ColumnRef ref -> batch.column(ref.index());
            case Literal literal -> literal(literal, batch.rowCount());
            case Outer outer -> throw new IllegalStateException("column of an outer query " + outer);
            case Call call -> call(call, batch);
            case And and -> logic(and.operands(), batch, false);
            case Or or -> logic(or.operands(), batch, true);
            case Not not -> not(evaluate(not.operand(), batch), batch.rowCount());
            case IsNull test -> isNull(evaluate(test.operand(), batch), batch.rowCount());
            case InList in -> inList(in, batch);
            case Case choice -> choose(choice, batch);
            case Cast cast -> cast(cast, batch);
        };
    }

    /** The values of some expressions, a column for each; as {@link #evaluate}. */
    public Column[] evaluateAll(List<Expression> expressions, Batch batch) {
        Column[] columns = new Column[expressions.size()];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = evaluate(expressions.get(i), batch);
        }
        return columns;
    }

    /** As {@link #evaluate}, for a column that is needed no longer than until this method or {@link #filter} is called again. */
    public Column evaluateForNow(Expression expression, Batch batch) {
        spare.reuse();
        return spare.during(() -> evaluate(expression, batch));
    }

    /** The rows of a batch for which a condition is true. */
    public Batch filter(Expression condition, Batch batch) {
        if (condition instanceof And and) {
            Batch left = batch;
            for (Expression operand : and.operands()) {
                left = left.rowCount() == 0 ? left : filter(operand, left);
            }
            return left;
        }
        BooleanColumn truth = (BooleanColumn) evaluateForNow(condition, batch);
        int rows = batch.rowCount();
        int[] hits = new int[rows];
        int n = Bits.indices(trueBits(truth, rows), rows, hits);
        return n == rows ? batch : batch.select(hits, n);
    }

    private Column literal(Literal literal, int rows) {
        Column known = literals.get(literal);
        int wanted = Math.max(rows, Batch.TARGET_ROWS);
        if (known == null || length(known) < wanted) {
            known = constant(literal, wanted);
            literals.put(literal, known);
        }
        return known;
    }

    private static int length(Column column) {
        return switch (column) {
            case BooleanColumn c -> c.bits().length * 64;
            case IntColumn c -> c.values().length;
            case LongColumn c -> c.values().length;
            case DoubleColumn c -> c.values().length;
            case TextColumn c -> c.capacity();
            case WideColumn c -> c.low().length;
            case ListColumn c -> c.rows();
            case StructColumn c -> length(c.field(0));
        };
    }

    private static Column constant(Literal literal, int rows) {
        if (literal.value() instanceof String text) {
            return TextColumn.constant(text, rows);
        }
        ColumnBuilder one = ColumnBuilder.of(literal.type());
        Values.append(one, literal.value());
        return one.build().gather(new int[rows], rows);
    }

    private Column call(Call call, Batch batch) {
        int rows = batch.rowCount();
        Column[] args = new Column[call.args().size()];
        long[] nulls = null;
        for (int i = 0; i < args.length; i++) {
            args[i] = evaluate(call.args().get(i), batch);
            nulls = Bits.or(nulls, args[i].nulls(), rows);
        }
        try {
            return call.function().kernel() instanceof OwnKernel own
                    ? own(own, args, rows, nulls)
                    : call.function().kernel().apply(args, rows, nulls);
        } catch (RowProblem problem) {
            throw explained(problem, call, batch);
        } catch (ValueCode.RowFailure failure) {
            throw explained(new RowProblem(failure.row(), failure.getMessage()), call, batch);
        }
    }

    private Column own(OwnKernel kernel, Column[] args, int rows, long[] nulls) {
        ValueCode.Running running = own.computeIfAbsent(kernel, k -> k.code().open(scope, k.types()));
        return running.apply(args, rows, kernel.strict() ? nulls : null);
    }

    private Column cast(Cast cast, Batch batch) {
        Column operand = evaluate(cast.operand(), batch);
        try {
            return Casts.cast(operand, batch.rowCount(), cast.operand().type(), cast.type(), cast.orNull());
        } catch (RowProblem problem) {
            throw explained(problem, cast, batch);
        }
    }

    private static BadData explained(RowProblem problem, Expression where, Batch batch) {
        StringBuilder message =
                new StringBuilder(problem.getMessage()).append(" in ").append(where);
        Set<ColumnRef> columns = new LinkedHashSet<>();
        collect(where, columns);
        String separator = ", for the row with ";
        for (ColumnRef column : columns) {
            Object value = Values.get(batch.column(column.index()), problem.row, column.type());
            message.append(separator).append(column).append(" = ").append(Values.literal(value));
            separator = ", ";
        }
        boolean isOwn = where instanceof Call call && call.function().kernel() instanceof OwnKernel;
        String advice = isOwn ? "" : advice(problem, where);
        return new BadData(message.append(advice).toString());
    }

    private static String advice(RowProblem problem, Expression where) {
        if (where instanceof Cast) {
            return "; filter such rows, or use try_cast to get null";
        }
        return "; " + problem.advice;
    }

    private static void collect(Expression expression, Set<ColumnRef> into) {
        if (expression instanceof ColumnRef ref) {
            into.add(ref);
        }
        expression.children().forEach(child -> collect(child, into));
    }

    /**
     * Three-valued and / or. {@code decided} is the value that decides the result whatever the other side is: true for
     * or, false for and.
     */
    private Column logic(List<Expression> operands, Batch batch, boolean decided) {
        int rows = batch.rowCount();
        BooleanColumn result = (BooleanColumn) evaluate(operands.get(0), batch);
        for (Expression operand : operands.subList(1, operands.size())) {
            BooleanColumn right = operand.canFail()
                    ? whereOpen(result, operand, batch, decided)
                    : (BooleanColumn) evaluate(operand, batch);
            result = combine(result, right, rows, decided);
        }
        return result;
    }

    /** Evaluates an operand only for the rows that are not decided yet; the others get the deciding value. */
    private BooleanColumn whereOpen(BooleanColumn left, Expression operand, Batch batch, boolean decided) {
        int rows = batch.rowCount();
        long[] done = decided ? trueBits(left, rows) : falseBits(left, rows);
        int[] open = new int[rows];
        int n = Bits.indices(Comparison.inverted(done, rows), rows, open);
        if (n == rows) {
            return (BooleanColumn) evaluate(operand, batch);
        }
        long[] bits = decided ? done.clone() : Bits.make(rows);
        long[] nulls = null;
        if (n > 0) {
            BooleanColumn some = (BooleanColumn) evaluate(operand, batch.select(open, n));
            nulls = some.nulls() == null ? null : Bits.make(rows);
            for (int i = 0; i < n; i++) {
                if (some.isNull(i)) {
                    Bits.set(nulls, open[i]);
                } else if (some.value(i)) {
                    Bits.set(bits, open[i]);
                }
            }
        }
        return new BooleanColumn(bits, nulls);
    }

    private static BooleanColumn combine(BooleanColumn a, BooleanColumn b, int rows, boolean decided) {
        int words = Bits.words(rows);
        long[] bits = new long[words];
        if (a.nulls() == null && b.nulls() == null) {
            for (int i = 0; i < words; i++) {
                bits[i] = decided ? a.bits()[i] | b.bits()[i] : a.bits()[i] & b.bits()[i];
            }
            return new BooleanColumn(bits, null);
        }
        long[] deciding = decided ? trueBits(a, rows) : falseBits(a, rows);
        long[] otherDeciding = decided ? trueBits(b, rows) : falseBits(b, rows);
        long[] eitherNull = Bits.or(a.nulls(), b.nulls(), rows);
        long[] nulls = new long[words];
        for (int i = 0; i < words; i++) {
            long decidedBits = deciding[i] | otherDeciding[i];
            nulls[i] = eitherNull[i] & ~decidedBits;
            bits[i] = decided ? decidedBits : ~decidedBits & ~nulls[i];
        }
        return new BooleanColumn(bits, nulls);
    }

    private static long[] trueBits(BooleanColumn column, int rows) {
        if (column.nulls() == null) {
            return column.bits();
        }
        long[] out = Bits.make(rows);
        for (int i = 0; i < out.length; i++) {
            out[i] = column.bits()[i] & ~column.nulls()[i];
        }
        return out;
    }

    private static long[] falseBits(BooleanColumn column, int rows) {
        long[] out = Bits.make(rows);
        for (int i = 0; i < out.length; i++) {
            out[i] = ~column.bits()[i] & (column.nulls() == null ? -1L : ~column.nulls()[i]);
        }
        return out;
    }

    private static Column not(Column column, int rows) {
        return new BooleanColumn(Comparison.inverted(((BooleanColumn) column).bits(), rows), column.nulls());
    }

    private static Column isNull(Column column, int rows) {
        long[] nulls = column.nulls();
        return new BooleanColumn(nulls == null ? Bits.make(rows) : Arrays.copyOf(nulls, Bits.words(rows)), null);
    }

    private Column inList(InList in, Batch batch) {
        Column operand = evaluate(in.operand(), batch);
        int rows = batch.rowCount();
        long[] out = Bits.make(rows);
        if (in.values().size() <= 4) {
            ScalarFunction.Kernel equal = Comparison.equal(in.operand().type());
            for (Literal value : in.values()) {
                Column[] pair = {operand, literal(value, rows)};
                long[] hits = ((BooleanColumn) equal.apply(pair, rows, operand.nulls())).bits();
                for (int i = 0; i < out.length; i++) {
                    out[i] |= hits[i];
                }
            }
            return new BooleanColumn(out, operand.nulls());
        }
        return lists.computeIfAbsent(in, list -> new ValueSet(list.operand().type(), list.values()))
                .contains(operand, rows);
    }

    private Column choose(Case choice, Batch batch) {
        LayeredCase layers = layered.computeIfAbsent(choice, c -> Optional.ofNullable(LayeredCase.of(c)))
                .orElse(null);
        return layers == null ? chosen(choice, batch) : layered(choice, layers, batch);
    }

    private Column layered(Case choice, LayeredCase layers, Batch batch) {
        int rows = batch.rowCount();
        long[][] hits = new long[choice.branches().size()][];
        for (int b = 0; b < hits.length; b++) {
            Expression condition = choice.branches().get(b).condition();
            hits[b] = trueBits((BooleanColumn) evaluate(condition, batch), rows);
        }
        return layers.column(hits, result -> evaluate(result, batch), rows);
    }

    private Column chosen(Case choice, Batch batch) {
        Choice choosing = new Choice(batch);
        for (Case.Branch branch : choice.branches()) {
            if (choosing.openCount > 0) {
                choosing.branch(branch);
            }
        }
        if (choosing.openCount > 0) {
            choosing.otherwise(choice.otherwise());
        }
        return choosing.column(choice.type());
    }

    /** The rows of a batch as they find their branch: which are still open, and where the others have their result. */
    private final class Choice {
        private final Batch batch;
        private final int[] origin;
        private final int[] place;
        private final int[] open;
        private final List<Column> results = new ArrayList<>();
        private int openCount;

        Choice(Batch batch) {
            this.batch = batch;
            this.openCount = batch.rowCount();
            this.origin = new int[openCount];
            this.place = new int[openCount];
            this.open = new int[openCount];
            Arrays.setAll(open, i -> i);
        }

        private Batch openRows() {
            return openCount == batch.rowCount() ? batch : batch.select(open, openCount);
        }

        /** Settles the open rows for which the condition is true. */
        void branch(Case.Branch branch) {
            Batch rest = openRows();
            long[] hitBits = trueBits((BooleanColumn) evaluate(branch.condition(), rest), openCount);
            int[] hits = new int[openCount];
            int n = Bits.indices(hitBits, openCount, hits);
            if (n == 0) {
                return;
            }
            for (int i = 0; i < n; i++) {
                origin[open[hits[i]]] = results.size();
                place[open[hits[i]]] = i;
            }
            results.add(evaluate(branch.result(), n == openCount ? rest : rest.select(hits, n)));
            int left = 0;
            for (int i = 0; i < openCount; i++) {
                if (!Bits.get(hitBits, i)) {
                    open[left++] = open[i];
                }
            }
            openCount = left;
        }

        /** Settles all rows that are still open. */
        void otherwise(Expression result) {
            for (int i = 0; i < openCount; i++) {
                origin[open[i]] = results.size();
                place[open[i]] = i;
            }
            results.add(evaluate(result, openRows()));
        }

        Column column(DataType type) {
            if (results.size() == 1) {
                return results.get(0);
            }
            ColumnBuilder out = ColumnBuilder.of(type);
            out.appendMixed(results.toArray(Column[]::new), origin, place, origin.length);
            return out.build();
        }
    }

    /** The value of an expression that reads no column. */
    public static Literal fold(Expression constant) {
        Batch one = new Batch(1);
        Column column = new Evaluator().evaluate(constant, one);
        DataType type = constant.type();
        return new Literal(Values.get(column, 0, type), type);
    }
}
