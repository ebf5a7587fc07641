package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * Several groupings at once: each row is expanded into one per set, in which the keys that the set leaves out are null;
 * the number of the set is one more key.
 */
final class GroupingSets {

    private static final int MOST = 4096;

    private final List<BitSet> sets;

    /** Each set has the positions of its keys. */
    GroupingSets(List<BitSet> sets) {
        this.sets = sets;
        if (sets.size() > MOST) {
            throw new UserMistake(
                    "group by makes " + sets.size() + " grouping sets, more than " + MOST + "; list those you need");
        }
    }

    /** Every prefix, the longest first. */
    static List<BitSet> rollup(List<BitSet> elements) {
        List<BitSet> sets = new ArrayList<>();
        for (int n = elements.size(); n >= 0; n--) {
            sets.add(union(elements.subList(0, n)));
        }
        return sets;
    }

    /** Every subset. */
    static List<BitSet> cube(List<BitSet> elements) {
        if (elements.size() > 12) {
            throw new UserMistake("cube of " + elements.size() + " keys makes too many sets; list those you need");
        }
        List<BitSet> sets = new ArrayList<>();
        for (int bits = (1 << elements.size()) - 1; bits >= 0; bits--) {
            List<BitSet> chosen = new ArrayList<>();
            for (int i = 0; i < elements.size(); i++) {
                if ((bits >> elements.size() - 1 - i & 1) != 0) {
                    chosen.add(elements.get(i));
                }
            }
            sets.add(union(chosen));
        }
        return sets;
    }

    /** Every union of a set of one list and one of the other. */
    static List<BitSet> product(List<BitSet> first, List<BitSet> second) {
        List<BitSet> sets = new ArrayList<>();
        first.forEach(a -> second.forEach(b -> sets.add(union(List.of(a, b)))));
        return sets;
    }

    private static BitSet union(List<BitSet> all) {
        BitSet union = new BitSet();
        all.forEach(union::or);
        return union;
    }

    /** Groups by the keys of each set. The result has the keys, the number of the set, and the aggregates. */
    Plan group(Plan input, List<Named> keys, List<NamedAggregate> aggregates) {
        if (sets.size() == 1 && sets.get(0).isEmpty()) {
            return total(input, keys, aggregates);
        }
        boolean keepsNulls =
                aggregates.stream().anyMatch(a -> a.aggregate().kind().keepsNulls());
        boolean hasTotal = sets.stream().anyMatch(BitSet::isEmpty);
        return hasTotal && !keepsNulls ? withTotal(input, keys, aggregates) : ofSets(input, keys, aggregates);
    }

    /**
     * A total has a row even when there is nothing to group. So a row of nulls joins those of the input, and a mark tells
     * the aggregates to leave it out, as well as the groups that it makes in other sets.
     */
    private Plan withTotal(Plan input, List<Named> keys, List<NamedAggregate> aggregates) {
        List<Named> real = new ArrayList<>(PlanBuilder.columns(input.schema()));
        real.add(Named.of("is a row", Literal.TRUE));
        Plan marked = PlanBuilder.select(input, real);
        List<Named> nulls = marked.schema().fields().stream()
                .map(f -> new Named(new Literal(null, f.type()), f))
                .toList();
        Plan nothing = new Plan.Project(new Plan.Inline(new Schema(List.of()), List.of(new Batch(1))), nulls);
        Expression mark = PlanBuilder.column(marked.schema(), real.size() - 1);
        List<NamedAggregate> ofRows = new ArrayList<>();
        aggregates.forEach(a -> ofRows.add(new NamedAggregate(ofRows(a.aggregate(), mark), a.name())));
        ofRows.add(new NamedAggregate(new Aggregate(Aggregate.Kind.COUNT, mark, DataType.LONG), "rows"));
        Plan grouped = ofSets(PlanBuilder.union(marked, nothing), keys, ofRows);
        Schema made = grouped.schema();
        List<Expression> totals = new ArrayList<>();
        for (int s = 0; s < sets.size(); s++) {
            if (sets.get(s).isEmpty()) {
                totals.add(new Literal(s, DataType.INT));
            }
        }
        Expression isTotal = Operators.in(PlanBuilder.column(made, keys.size()), totals);
        Expression hasRows =
                Operators.compare(">", PlanBuilder.column(made, made.size() - 1), new Literal(0L, DataType.LONG));
        Plan kept = PlanBuilder.where(grouped, Operators.or(List.of(isTotal, hasRows)));
        return PlanBuilder.select(kept, PlanBuilder.columns(made).subList(0, made.size() - 1));
    }

    /** Columns are null in the row that is none, as the mark is, so that they need no condition. */
    private static Aggregate ofRows(Aggregate aggregate, Expression mark) {
        if (aggregate.expressions().isEmpty()) {
            return new Aggregate(aggregate.kind(), mark, aggregate.type());
        }
        boolean ofColumns = aggregate.expressions().stream().allMatch(ColumnRef.class::isInstance);
        return ofColumns ? aggregate : aggregate.where(mark);
    }

    private Plan ofSets(Plan input, List<Named> keys, List<NamedAggregate> aggregates) {
        int width = input.schema().size();
        List<List<Named>> variants = new ArrayList<>();
        for (int s = 0; s < sets.size(); s++) {
            List<Named> outputs = new ArrayList<>(PlanBuilder.columns(input.schema()));
            for (int k = 0; k < keys.size(); k++) {
                Named key = keys.get(k);
                Expression value = sets.get(s).get(k)
                        ? key.expression()
                        : new Literal(null, key.field().type());
                outputs.add(new Named(value, key.field()));
            }
            outputs.add(Named.of("grouping set", new Literal(s, DataType.INT)));
            variants.add(outputs);
        }
        Expand expanded = new Expand(input, variants);
        List<Named> by = new ArrayList<>();
        for (int k = 0; k <= keys.size(); k++) {
            Field field = expanded.schema().field(width + k);
            by.add(new Named(PlanBuilder.column(expanded.schema(), width + k), field));
        }
        return new Group(expanded, by, aggregates);
    }

    /** The only set is the empty one: one row, even when there is nothing to group. */
    private static Plan total(Plan input, List<Named> keys, List<NamedAggregate> aggregates) {
        Plan total = new Group(input, List.of(), aggregates);
        List<Named> outputs = new ArrayList<>();
        keys.forEach(k -> outputs.add(new Named(new Literal(null, k.field().type()), k.field())));
        outputs.add(Named.of("grouping set", new Literal(0, DataType.INT)));
        outputs.addAll(PlanBuilder.columns(total.schema()));
        return PlanBuilder.select(total, outputs);
    }

    /** 1 where the key is left out of the set of a row, else 0. */
    Expression grouping(Expression key, int keyCount) {
        if (!(key instanceof ColumnRef ref) || ref.index() >= keyCount) {
            throw new UserMistake("grouping(…) takes a key of group by, but found " + key);
        }
        ColumnRef set = new ColumnRef(keyCount, "grouping set", DataType.INT);
        List<Expression> with = new ArrayList<>();
        for (int s = 0; s < sets.size(); s++) {
            if (sets.get(s).get(ref.index())) {
                with.add(new Literal(s, DataType.INT));
            }
        }
        Literal none = new Literal(1, DataType.INT);
        return with.isEmpty()
                ? none
                : Operators.choose(
                        List.of(new Case.Branch(Operators.in(set, with), new Literal(0, DataType.INT))), none);
    }
}
