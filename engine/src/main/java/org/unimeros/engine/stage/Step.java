package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.RowCode;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.NamedWindow;

/** What a pipeline does with the batches that come by. Each step has an id under which its figures are reported. */
public sealed interface Step extends Serializable {

    int id();

    /** One line for the plan. */
    String describe();

    /** The same step under another id. */
    default Step withId(int other) {
        return switch (this) {
            case Where s -> new Where(other, s.condition);
            case Select s -> new Select(other, s.outputs);
            case PartialGroup s -> new PartialGroup(other, s.keys, s.aggregates);
            case PartialSets s -> new PartialSets(other, s.keys, s.aggregates, s.sets);
            case FinalGroup s -> new FinalGroup(other, s.keys, s.aggregates);
            case WholeGroup s -> new WholeGroup(other, s.keys, s.aggregates, s.inputTypes);
            case Expand s -> new Expand(other, s.variants);
            case Unnest s -> new Unnest(other, s.list, s.columns, s.position, s.keepsEmpty);
            case Window s -> new Window(other, s.schema, s.partition, s.order, s.functions);
            case Probe s ->
                new Probe(
                        other,
                        s.buildStage,
                        s.copied,
                        s.buildIsLeft,
                        s.kind,
                        s.probeKeys,
                        s.buildKeys,
                        s.buildSchema,
                        s.probeSchema,
                        s.condition,
                        s.why);
            case Order s -> new Order(other, s.keys, s.schema, s.limit);
            case Merge s -> new Merge(other, s.keys, s.schema);
            case Take s -> new Take(other, s.offset, s.count);
            case Apply s -> new Apply(other, s.code);
            case Combine s -> new Combine(other, s.keys, s.schema, s.code);
            case Reduce s -> new Reduce(other, s.keys, s.groupKeys, s.schema, s.merges, s.code);
        };
    }

    /** Lets the rows pass for which the condition is true. */
    record Where(int id, Expression condition) implements Step {
        @Override
        public String describe() {
            return "where " + condition;
        }
    }

    /** Makes new columns. */
    record Select(int id, List<Named> outputs) implements Step {
        @Override
        public String describe() {
            return "select " + list(outputs);
        }
    }

    /** Summarises what one task sees; makes the keys and the partial columns of the aggregates. */
    record PartialGroup(int id, List<Named> keys, List<NamedAggregate> aggregates) implements Step {
        @Override
        public String describe() {
            return "summarise in part " + by(keys, aggregates);
        }
    }

    /**
     * Summarises what a partial grouping made by several sets of its keys.
     *
     * @param keys how many keys it has
     * @param sets what the keys are that go on: columns of those that come, or literals
     */
    record PartialSets(int id, int keys, List<NamedAggregate> aggregates, List<List<Expression>> sets) implements Step {
        @Override
        public String describe() {
            return "summarise that for each of " + sets.size() + " sets of keys";
        }
    }

    /** Merges partial summaries; makes the keys and the results. */
    record FinalGroup(int id, List<Named> keys, List<NamedAggregate> aggregates) implements Step {
        @Override
        public String describe() {
            return "summarise " + by(keys, aggregates);
        }
    }

    /**
     * Summarises groups whose aggregates must see all values of a group together.
     *
     * @param inputTypes the types of the columns that come in, over which keys and aggregates are
     */
    record WholeGroup(int id, List<Named> keys, List<NamedAggregate> aggregates, List<DataType> inputTypes)
            implements Step {
        @Override
        public String describe() {
            return "summarise whole groups, " + by(keys, aggregates);
        }
    }

    /** Makes several rows of each. */
    record Expand(int id, List<List<Named>> variants) implements Step {
        @Override
        public String describe() {
            return "expand each row into " + variants.size();
        }
    }

    /**
     * Makes a row for each element of a list.
     *
     * @param columns how many columns an element makes
     * @param position whether its position is another one
     */
    record Unnest(int id, Expression list, int columns, boolean position, boolean keepsEmpty) implements Step {
        @Override
        public String describe() {
            return "unnest " + list + (keepsEmpty ? ", keeping rows without elements" : "");
        }
    }

    /** Adds functions over the rows of a partition, which this task sees all of. */
    record Window(int id, Schema schema, List<Expression> partition, List<SortKey> order, List<NamedWindow> functions)
            implements Step {
        @Override
        public String describe() {
            return "window " + list(functions) + Plan.over(partition, order);
        }
    }

    /**
     * Looks rows up in the rows of another stage and makes the columns of the left side, then those of the right side.
     *
     * @param buildStage the stage whose output is the table
     * @param copied whether every task gets the whole table, or the part that belongs to its own
     * @param buildIsLeft whether the table is the left side of the join
     * @param condition over the columns of left and right together
     * @param why the reason for this method
     */
    record Probe(
            int id,
            int buildStage,
            boolean copied,
            boolean buildIsLeft,
            JoinKind kind,
            List<Expression> probeKeys,
            List<Expression> buildKeys,
            Schema buildSchema,
            Schema probeSchema,
            Optional<Expression> condition,
            String why)
            implements Step {
        @Override
        public String describe() {
            StringBuilder on = new StringBuilder();
            for (int i = 0; i < probeKeys.size(); i++) {
                on.append(i == 0 ? " on " : " and ")
                        .append(probeKeys.get(i))
                        .append(" = ")
                        .append(buildKeys.get(i));
            }
            condition.ifPresent(c -> on.append(on.isEmpty() ? " on " : " and ").append(c));
            return kind + (copied ? ", copied" : ", shuffled") + ", with stage " + buildStage + on + " (" + why + ")";
        }

        /** Whether rows that come by and match nothing are passed on. */
        public boolean keepsProbe() {
            return kind == JoinKind.FULL || kind == JoinKind.LEFT && !buildIsLeft;
        }

        /** Whether rows of the table that match nothing are passed on. */
        public boolean keepsBuild() {
            return kind == JoinKind.FULL || kind == JoinKind.LEFT && buildIsLeft;
        }
    }

    /** Puts all rows in order and passes the first {@code limit} of them on. */
    record Order(int id, List<SortKey> keys, Schema schema, long limit) implements Step {
        @Override
        public String describe() {
            return "order by " + list(keys) + (limit == Long.MAX_VALUE ? "" : ", first " + limit);
        }
    }

    /** Merges a range of the rows that the tasks of another stage have sorted, which the source names. */
    record Merge(int id, List<SortKey> keys, Schema schema) implements Step {
        @Override
        public String describe() {
            return "merge by " + list(keys);
        }
    }

    /** Passes {@code count} rows on after the first {@code offset}. */
    record Take(int id, long offset, long count) implements Step {
        @Override
        public String describe() {
            return "take " + count + (offset == 0 ? "" : " after " + offset);
        }
    }

    /** Runs code of the job on the rows that come by. */
    record Apply(int id, RowCode code) implements Step {
        @Override
        public String describe() {
            return code.describe();
        }
    }

    /** Gives code of the job rows of equal keys together, some at a time. */
    record Combine(int id, List<SortKey> keys, Schema schema, GroupCode code) implements Step {
        @Override
        public String describe() {
            return code.describe() + " by " + list(keys);
        }
    }

    /**
     * Gives code of the job all rows in order.
     *
     * @param groupKeys how many of the keys, which are columns, are the same in a group
     * @param merges whether they come from tasks that have sorted them, so that they are only merged
     */
    record Reduce(int id, List<SortKey> keys, int groupKeys, Schema schema, boolean merges, GroupCode code)
            implements Step {
        @Override
        public String describe() {
            return code.describe() + ", ordered by " + list(keys);
        }
    }

    private static String by(List<Named> keys, List<NamedAggregate> aggregates) {
        String what = aggregates.isEmpty() ? "distinct" : list(aggregates);
        return what + (keys.isEmpty() ? "" : " by " + list(keys));
    }

    private static String list(List<?> items) {
        return items.stream().map(Object::toString).collect(Collectors.joining(", "));
    }
}
