package org.unimeros.engine.plan;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.RowCode;
import org.unimeros.engine.source.TableSource;

/** A node of a logical plan. Column references in a node's expressions count in the schema of its input. */
public sealed interface Plan {

    Schema schema();

    List<Plan> inputs();

    /** One line that says what this node does, without its inputs. */
    String describe();

    /** The whole tree, a line per node, inputs indented. */
    default String print() {
        StringBuilder out = new StringBuilder();
        print(this, 0, out);
        return out.toString();
    }

    private static void print(Plan plan, int depth, StringBuilder out) {
        out.append("  ".repeat(depth)).append(plan.describe()).append('\n');
        plan.inputs().forEach(input -> print(input, depth + 1, out));
    }

    /** An expression and the field that it makes. */
    record Named(Expression expression, Field field) implements Serializable {
        public static Named of(String name, Expression expression) {
            return new Named(expression, Field.of(name, expression.type()));
        }

        @Override
        public String toString() {
            String text = expression.toString();
            return text.equals(field.name()) || text.equals(field.fullName()) ? text : text + " as " + field.name();
        }
    }

    /** An aggregate and the name of its result. */
    record NamedAggregate(Aggregate aggregate, String name) implements Serializable {
        @Override
        public String toString() {
            return aggregate.toString().equals(name) ? name : aggregate + " as " + name;
        }
    }

    /** A scan of some columns of a table, with the conditions that all rows of interest fulfil. */
    record Scan(TableSource source, List<Integer> columns, Schema schema, List<Expression> conditions) implements Plan {
        public Scan {
            columns = List.copyOf(columns);
            conditions = List.copyOf(conditions);
        }

        @Override
        public List<Plan> inputs() {
            return List.of();
        }

        @Override
        public String describe() {
            String where = conditions.isEmpty() ? "" : " where " + list(conditions, " and ");
            return "scan " + source.name() + " [" + String.join(", ", schema.names()) + "]" + where;
        }
    }

    /** Rows that are there already. */
    record Inline(Schema schema, List<Batch> batches) implements Plan {
        public Inline {
            batches = List.copyOf(batches);
        }

        @Override
        public List<Plan> inputs() {
            return List.of();
        }

        @Override
        public String describe() {
            return "given rows [" + String.join(", ", schema.names()) + "]";
        }
    }

    /** The rows for which a condition is true. */
    record Filter(Plan input, Expression condition) implements Plan {
        @Override
        public Schema schema() {
            return input.schema();
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "where " + condition;
        }
    }

    /** New columns from the columns of the input. */
    record Project(Plan input, List<Named> outputs) implements Plan {
        public Project {
            outputs = List.copyOf(outputs);
        }

        @Override
        public Schema schema() {
            return new Schema(outputs.stream().map(Named::field).toList());
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "select " + list(outputs, ", ");
        }
    }

    /** What a join makes of rows with and without a match. */
    enum JoinKind {
        /** Every pair. */
        INNER("join"),
        /** Every pair, and the rows of the left side without a match with nulls for the right. */
        LEFT("left join"),
        /** Every pair, and the rows of both sides without a match with nulls for the other. */
        FULL("full join"),
        /** The rows of the left side that have a match, each once. */
        SEMI("semi join"),
        /** The rows of the left side that have no match. */
        ANTI("anti join"),
        /** All rows of the left side, each once, and a boolean that tells whether it has a match. */
        MARK("mark join");

        private final String words;

        JoinKind(String words) {
            this.words = words;
        }

        /** Whether the result has the columns of the right side. */
        public boolean hasRight() {
            return this == INNER || this == LEFT || this == FULL;
        }

        @Override
        public String toString() {
            return words;
        }
    }

    /** The name of the column that a {@link JoinKind#MARK} join adds. */
    String MARK_NAME = "has match";

    /** How a join is to be carried out. */
    enum JoinMethod {
        /** Decided by size. */
        AUTOMATIC,
        /** One side is copied to every task; the other is not moved. */
        COPIED,
        /** Both sides are shuffled by their keys. */
        SHUFFLED
    }

    /**
     * Pairs of rows whose keys are equal and that fulfil the condition.
     *
     * @param leftKeys over the left schema; the i-th key of both sides has the same type
     * @param rightKeys over the right schema
     * @param condition over the columns of left and right together
     */
    record Join(
            Plan left,
            Plan right,
            JoinKind kind,
            JoinMethod method,
            List<Expression> leftKeys,
            List<Expression> rightKeys,
            Optional<Expression> condition)
            implements Plan {
        public Join {
            leftKeys = List.copyOf(leftKeys);
            rightKeys = List.copyOf(rightKeys);
        }

        @Override
        public Schema schema() {
            return switch (kind) {
                case INNER, LEFT, FULL -> left.schema().concat(right.schema());
                case SEMI, ANTI -> left.schema();
                case MARK -> left.schema().concat(Schema.of(Field.of(MARK_NAME, DataType.BOOLEAN)));
            };
        }

        @Override
        public List<Plan> inputs() {
            return List.of(left, right);
        }

        @Override
        public String describe() {
            List<String> parts = new ArrayList<>();
            for (int i = 0; i < leftKeys.size(); i++) {
                parts.add(leftKeys.get(i) + " = " + rightKeys.get(i));
            }
            condition.ifPresent(c -> parts.add(c.toString()));
            String on = parts.isEmpty() ? "" : " on " + String.join(" and ", parts);
            return kind + on;
        }
    }

    /** One row per distinct combination of keys; without keys, one row in all. */
    record Group(Plan input, List<Named> keys, List<NamedAggregate> aggregates) implements Plan {
        public Group {
            keys = List.copyOf(keys);
            aggregates = List.copyOf(aggregates);
        }

        @Override
        public Schema schema() {
            List<Field> fields = new ArrayList<>(keys.stream().map(Named::field).toList());
            aggregates.forEach(a -> fields.add(Field.of(a.name(), a.aggregate().type())));
            return new Schema(fields);
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            if (aggregates.isEmpty()) {
                return "distinct " + list(keys, ", ");
            }
            return "summarise " + list(aggregates, ", ") + (keys.isEmpty() ? "" : " by " + list(keys, ", "));
        }
    }

    /** Several rows for each row of the input, one per variant; all variants make the same columns. */
    record Expand(Plan input, List<List<Named>> variants) implements Plan {
        public Expand {
            variants = variants.stream().map(List::copyOf).toList();
        }

        @Override
        public Schema schema() {
            return new Schema(variants.get(0).stream().map(Named::field).toList());
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "expand each row into " + variants.size();
        }
    }

    /**
     * A row for each element of a list, with all columns of the input before those of the element.
     *
     * @param list over the input; a null list is like an empty one
     * @param elements the columns of an element: one, or those of a struct
     * @param position the name of a last column with the position of the element, from 1
     * @param keepsEmpty whether a row without elements stays, with nulls for the columns of the element
     */
    record Unnest(Plan input, Expression list, List<Field> elements, Optional<Field> position, boolean keepsEmpty)
            implements Plan {
        public Unnest {
            elements = List.copyOf(elements);
        }

        @Override
        public Schema schema() {
            List<Field> fields = new ArrayList<>(input.schema().fields());
            fields.addAll(elements);
            position.ifPresent(fields::add);
            return new Schema(fields);
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "unnest " + list + (keepsEmpty ? ", keeping rows without elements" : "");
        }
    }

    /**
     * All columns of the input, and for each row the values of functions over the rows of its partition.
     *
     * @param partition expressions whose values are equal within a partition; without any there is one
     * @param order the order of the rows of a partition
     */
    record Window(Plan input, List<Expression> partition, List<SortKey> order, List<NamedWindow> functions)
            implements Plan {
        public Window {
            partition = List.copyOf(partition);
            order = List.copyOf(order);
            functions = List.copyOf(functions);
        }

        @Override
        public Schema schema() {
            List<Field> fields = new ArrayList<>(input.schema().fields());
            functions.forEach(f -> fields.add(Field.of(f.name(), f.function().type())));
            return new Schema(fields);
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "window " + list(functions, ", ") + over(partition, order);
        }
    }

    /** A window function and the name of its result. */
    record NamedWindow(WindowFunction function, String name) implements Serializable {
        @Override
        public String toString() {
            return function.toString().equals(name) ? name : function + " as " + name;
        }
    }

    /** {@code  by … order by …}. */
    static String over(List<Expression> partition, List<SortKey> order) {
        return (partition.isEmpty() ? "" : " by " + list(partition, ", "))
                + (order.isEmpty() ? "" : " order by " + list(order, ", "));
    }

    /** All rows in an order; rows with equal keys keep the order of the input. */
    record Sort(Plan input, List<SortKey> keys) implements Plan {
        public Sort {
            keys = List.copyOf(keys);
        }

        @Override
        public Schema schema() {
            return input.schema();
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "order by " + list(keys, ", ");
        }
    }

    /** {@code count} rows after the first {@code offset}. */
    record Limit(Plan input, long offset, long count) implements Plan {
        @Override
        public Schema schema() {
            return input.schema();
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return "limit " + count + (offset == 0 ? "" : " offset " + offset);
        }
    }

    /** The rows of all inputs; columns meet by position and have the same types. */
    record Union(List<Plan> inputs) implements Plan {
        public Union {
            inputs = List.copyOf(inputs);
        }

        @Override
        public Schema schema() {
            return inputs.get(0).schema();
        }

        @Override
        public String describe() {
            return "union all of " + inputs.size();
        }
    }

    /** What code of the job makes of the rows, batch by batch. */
    record Apply(Plan input, RowCode code, Schema schema) implements Plan {
        Apply over(Plan other) {
            return new Apply(other, code, schema);
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return code.describe() + " [" + String.join(", ", schema.names()) + "]";
        }
    }

    /**
     * What code of the job makes of rows that have come together: each reducer gets its rows in order.
     *
     * @param reducers how many there are
     * @param order the keys first, then what the rows of one key are ordered by
     * @param keys how many of {@code order} are keys; rows with equal keys come to the same reducer
     * @param combiner summarises rows of equal keys before they are moved, giving rows of the same columns
     */
    record Reduce(
            Plan input,
            int reducers,
            Division division,
            List<SortKey> order,
            int keys,
            Optional<GroupCode> combiner,
            GroupCode code,
            Schema schema)
            implements Plan {
        public Reduce {
            order = List.copyOf(order);
        }

        Reduce over(Plan other) {
            return new Reduce(other, reducers, division, order, keys, combiner, code, schema);
        }

        @Override
        public List<Plan> inputs() {
            return List.of(input);
        }

        @Override
        public String describe() {
            return code.describe() + " [" + String.join(", ", schema.names()) + "], " + division.describe() + " to "
                    + reducers + " reducers, ordered by " + list(order, ", ")
                    + combiner.map(c -> ", with " + c.describe()).orElse("");
        }
    }

    /** Which reducer a row comes to. */
    sealed interface Division extends Serializable {
        String describe();

        /** By the hash of the keys. */
        record ByHash() implements Division {
            @Override
            public String describe() {
                return "by hash";
            }
        }

        /** The number in a column, from 0 on. */
        record ByNumber(int column) implements Division {
            @Override
            public String describe() {
                return "by number";
            }
        }

        /** By ranges of the keys of about equal size, so that the reducers one after the other have all rows in order. */
        record ByRange() implements Division {
            @Override
            public String describe() {
                return "by range";
            }
        }
    }

    private static String list(List<?> items, String separator) {
        return items.stream().map(Object::toString).collect(Collectors.joining(separator));
    }
}
