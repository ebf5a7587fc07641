package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Limit;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Scan;
import org.unimeros.engine.plan.Plan.Union;
import org.unimeros.engine.plan.Plan.Unnest;
import org.unimeros.engine.source.TableSource;

/** Adds steps to plans and checks each as it is added. */
public final class PlanBuilder {

    private PlanBuilder() {}

    /** All columns of a table under a qualifier, which may be null. */
    public static Plan scan(TableSource source, String qualifier) {
        Schema schema = source.schema();
        List<Integer> all = IntStream.range(0, schema.size()).boxed().toList();
        return new Scan(source, all, schema.qualified(qualifier), List.of());
    }

    /** The same rows under another qualifier. */
    public static Plan as(Plan input, String qualifier) {
        return input instanceof Scan s
                ? new Scan(s.source(), s.columns(), s.schema().qualified(qualifier), s.conditions())
                : new Project(input, columns(input.schema().qualified(qualifier)));
    }

    /** Every column of a schema as an output of its own. */
    public static List<Named> columns(Schema schema) {
        List<Named> outputs = new ArrayList<>();
        for (int i = 0; i < schema.size(); i++) {
            outputs.add(new Named(column(schema, i), schema.field(i)));
        }
        return outputs;
    }

    /** A reference to one column of a schema. */
    public static ColumnRef column(Schema schema, int index) {
        Field field = schema.field(index);
        return new ColumnRef(index, field.fullName(), field.type());
    }

    public static Plan where(Plan input, Expression condition) {
        return new Filter(input, Operators.truth(condition, "where"));
    }

    public static Plan select(Plan input, List<Named> outputs) {
        return new Project(input, outputs.stream().map(PlanBuilder::typed).toList());
    }

    /** What is null and nothing else becomes text. */
    private static Named typed(Named output) {
        DataType type = Types.known(output.expression().type());
        return type.equals(output.expression().type())
                ? output
                : new Named(
                        Types.coerce(output.expression(), type),
                        new Field(output.field().qualifier(), output.field().name(), type));
    }

    /**
     * A row for each element of a list, the columns of the element last: those of a struct, or one.
     *
     * @param qualifier of the new columns
     * @param names for the new columns, from the first on; the fields of a struct keep theirs where there are fewer
     * @param position whether a column with the position of the element is added
     */
    public static Plan unnest(
            Plan input, Expression list, String qualifier, List<String> names, boolean position, boolean keepsEmpty) {
        if (!(Types.known(list.type()) instanceof DataType.ListOf type)) {
            throw new UserMistake("unnest needs a list, but found " + list.type() + " (" + list + ")");
        }
        List<Field> elements = new ArrayList<>();
        if (type.element() instanceof DataType.Struct struct) {
            struct.parts().forEach(p -> elements.add(new Field(qualifier, p.name(), p.type())));
        } else {
            elements.add(new Field(qualifier, qualifier == null ? "value" : qualifier, type.element()));
        }
        int size = elements.size();
        if (position) {
            elements.add(new Field(qualifier, "position", DataType.LONG));
        }
        if (names.size() > elements.size()) {
            throw new UserMistake("unnest of " + list + " makes " + elements.size() + " columns, but found "
                    + names.size() + " names");
        }
        for (int i = 0; i < names.size(); i++) {
            elements.set(i, new Field(qualifier, names.get(i), elements.get(i).type()));
        }
        return new Unnest(
                input,
                Types.coerce(list, type),
                elements.subList(0, size),
                position ? Optional.of(elements.get(size)) : Optional.empty(),
                keepsEmpty);
    }

    /** Joins two inputs by a condition over the columns of both; equal keys are found in it. */
    public static Plan join(Plan left, Plan right, JoinKind kind, JoinMethod method, Expression condition) {
        int leftSize = left.schema().size();
        List<Expression> leftKeys = new ArrayList<>();
        List<Expression> rightKeys = new ArrayList<>();
        List<Expression> rest = new ArrayList<>();
        for (Expression part : Operators.conjuncts(Operators.truth(condition, "on"))) {
            if (!addKey(part, leftSize, leftKeys, rightKeys)) {
                rest.add(part);
            }
        }
        Optional<Expression> residual = rest.isEmpty() ? Optional.empty() : Optional.of(Operators.and(rest));
        return new Join(left, right, kind, method, leftKeys, rightKeys, residual);
    }

    /** All rows of the right input, with their pairs, or with nulls for the left one. */
    public static Plan rightJoin(Plan left, Plan right, JoinMethod method, Expression condition) {
        int leftSize = left.schema().size();
        int rightSize = right.schema().size();
        Expression crossed = Expressions.remap(condition, i -> i < leftSize ? i + rightSize : i - leftSize);
        Plan joined = join(right, left, JoinKind.LEFT, method, crossed);
        List<Named> all = columns(joined.schema());
        List<Named> outputs = new ArrayList<>(all.subList(rightSize, rightSize + leftSize));
        outputs.addAll(all.subList(0, rightSize));
        return new Project(joined, outputs);
    }

    /** Adds both sides of an equality between the inputs of a join to their keys; false when it is none. */
    static boolean addKey(Expression part, int leftSize, List<Expression> leftKeys, List<Expression> rightKeys) {
        if (!(part instanceof Call call) || !call.function().name().equals("=")) {
            return false;
        }
        Expression a = call.args().get(0);
        Expression b = call.args().get(1);
        boolean straight = isLeft(a, leftSize) && isRight(b, leftSize);
        boolean crossed = isRight(a, leftSize) && isLeft(b, leftSize);
        if (straight || crossed) {
            leftKeys.add(straight ? a : b);
            rightKeys.add(Expressions.remap(straight ? b : a, i -> i - leftSize));
        }
        return straight || crossed;
    }

    private static boolean isLeft(Expression e, int leftSize) {
        BitSet columns = Expressions.columns(e);
        return !columns.isEmpty() && columns.length() <= leftSize && !Expressions.hasOuter(e);
    }

    private static boolean isRight(Expression e, int leftSize) {
        BitSet columns = Expressions.columns(e);
        return !columns.isEmpty() && columns.nextSetBit(0) >= leftSize && !Expressions.hasOuter(e);
    }

    public static Plan distinct(Plan input) {
        return new Group(input, columns(input.schema()), List.of());
    }

    public static Plan limit(Plan input, long offset, long count) {
        if (offset < 0 || count < 0) {
            throw new UserMistake(
                    "limit and offset must not be negative, but found limit " + count + " offset " + offset);
        }
        return new Limit(input, offset, count);
    }

    /** The rows of both; columns meet by position and are brought to common types. */
    public static Plan union(Plan first, Plan second) {
        List<Plan> both = sameTypes(first, second, "union");
        if (both.get(0) instanceof Union u) {
            List<Plan> all = new ArrayList<>(u.inputs());
            all.add(both.get(1));
            return new Union(all);
        }
        return new Union(both);
    }

    /** Both plans with columns of the same types, by position. */
    static List<Plan> sameTypes(Plan first, Plan second, String operation) {
        Schema a = first.schema();
        Schema b = second.schema();
        if (a.size() != b.size()) {
            throw new UserMistake(operation + " needs the same number of columns, but found " + a.size() + " " + a
                    + " and " + b.size() + " " + b);
        }
        List<DataType> types = new ArrayList<>();
        for (int i = 0; i < a.size(); i++) {
            Field x = a.field(i);
            Field y = b.field(i);
            DataType left = isAlwaysNull(first, i) ? DataType.NULL : x.type();
            DataType right = isAlwaysNull(second, i) ? DataType.NULL : y.type();
            types.add(Types.common(left, right)
                    .map(Types::known)
                    .orElseThrow(() -> new UserMistake(operation + ": column " + x.name() + " is " + x.type()
                            + " on one side and " + y.type() + " (" + y.name() + ") on the other; cast one of them")));
        }
        return List.of(typed(first, types), typed(second, types));
    }

    /** Whether a column is null and nothing else, and text only as long as no other type is known. */
    private static boolean isAlwaysNull(Plan plan, int column) {
        return switch (plan) {
            case Project project -> isAlwaysNull(project.outputs().get(column).expression(), project.input());
            case Group group ->
                column < group.keys().size()
                        && isAlwaysNull(group.keys().get(column).expression(), group.input());
            case Union union -> union.inputs().stream().allMatch(input -> isAlwaysNull(input, column));
            default -> false;
        };
    }

    private static boolean isAlwaysNull(Expression e, Plan input) {
        return switch (e) {
            case Expression.Literal literal -> literal.value() == null;
            case ColumnRef ref -> isAlwaysNull(input, ref.index());
            default -> false;
        };
    }

    private static Plan typed(Plan input, List<DataType> types) {
        List<Named> outputs = new ArrayList<>();
        Schema schema = input.schema();
        for (int i = 0; i < types.size(); i++) {
            Field field = schema.field(i);
            boolean needsOther = !field.type().equals(types.get(i)) && isAlwaysNull(input, i);
            Expression e = needsOther
                    ? new Expression.Literal(null, types.get(i))
                    : Types.coerce(column(schema, i), types.get(i));
            outputs.add(new Named(e, new Field(field.qualifier(), field.name(), types.get(i))));
        }
        Project project = new Project(input, outputs);
        return project.schema().equals(schema) ? input : project;
    }
}
