package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.ArrayList;
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

/** What a pipeline does with the batches that come by. The pipeline numbers its steps. A new kind of step says here what it is, and
 * {@code TaskChain} makes its operator. */
public sealed interface Step extends Serializable {

    /** One line for the plan. */
    String describe();

    /** Whether it holds rows, so that it needs a share of the memory of its task. */
    boolean holdsRows();

    /** The stages whose rows it reads, besides those that come by. */
    default List<Integer> stagesRead() {
        return List.of();
    }

    /** Lets the rows pass for which the condition is true. */
    record Where(Expression condition) implements Step {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "where " + condition;
        }
    }

    /** Makes new columns. */
    record Select(List<Named> outputs) implements Step {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "select " + list(outputs);
        }
    }

    /** Summarises what one task sees; makes the keys and the partial columns of the aggregates. */
    record PartialGroup(List<Named> keys, List<NamedAggregate> aggregates) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

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
    record PartialSets(int keys, List<NamedAggregate> aggregates, List<List<Expression>> sets) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

        @Override
        public String describe() {
            return "summarise that for each of " + sets.size() + " sets of keys";
        }
    }

    /** Merges partial summaries; makes the keys and the results. */
    record FinalGroup(List<Named> keys, List<NamedAggregate> aggregates) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

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
    record WholeGroup(List<Named> keys, List<NamedAggregate> aggregates, List<DataType> inputTypes) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

        @Override
        public String describe() {
            return "summarise whole groups, " + by(keys, aggregates);
        }
    }

    /** Makes several rows of each. */
    record Expand(List<List<Named>> variants) implements Step {
        @Override
        public boolean holdsRows() {
            return false;
        }

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
    record Unnest(Expression list, int columns, boolean position, boolean keepsEmpty) implements Step {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "unnest " + list + (keepsEmpty ? ", keeping rows without elements" : "");
        }
    }

    /** Adds functions over the rows of a partition, which this task sees all of. */
    record Window(Schema schema, List<Expression> partition, List<SortKey> order, List<NamedWindow> functions)
            implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

        @Override
        public String describe() {
            return "window " + list(functions) + Plan.over(partition, order);
        }

        /** The order in which it makes its rows: by partition, then as they are in it. */
        public List<SortKey> sortKeys() {
            List<SortKey> keys = new ArrayList<>();
            partition.forEach(p -> keys.add(SortKey.ascending(p)));
            keys.addAll(order);
            return keys;
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
        public boolean holdsRows() {
            return !copied;
        }

        @Override
        public List<Integer> stagesRead() {
            return List.of(buildStage);
        }

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
    record Order(List<SortKey> keys, Schema schema, long limit) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

        @Override
        public String describe() {
            return "order by " + list(keys) + (limit == Long.MAX_VALUE ? "" : ", first " + limit);
        }
    }

    /** Merges a range of the rows that the tasks of another stage have sorted, which the source names. */
    record Merge(List<SortKey> keys, Schema schema) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

        @Override
        public String describe() {
            return "merge by " + list(keys);
        }
    }

    /** Passes {@code count} rows on after the first {@code offset}. */
    record Take(long offset, long count) implements Step {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "take " + count + (offset == 0 ? "" : " after " + offset);
        }
    }

    /** Runs code of the job on the rows that come by. */
    record Apply(RowCode code) implements Step {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return code.describe();
        }
    }

    /** Gives code of the job rows of equal keys together, some at a time. */
    record Combine(List<SortKey> keys, Schema schema, GroupCode code) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

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
    record Reduce(List<SortKey> keys, int groupKeys, Schema schema, boolean merges, GroupCode code) implements Step {
        @Override
        public boolean holdsRows() {
            return true;
        }

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
