package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregate.Kind;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Union;

/**
 * Intersections and differences of rows, in which null equals null: the rows of both sides are put together with a mark
 * of their side, and grouped. Where repetitions count, each row has its number among its equals as one more column.
 */
public final class SetOperations {

    private SetOperations() {}

    /** Rows that both have; with {@code all} as often as in the one that has them less often. */
    public static Plan intersect(Plan first, Plan second, boolean all) {
        return combined(first, second, all, "intersect", true);
    }

    /** Rows of the first that the second has not; with {@code all} each row of the second takes one away. */
    public static Plan except(Plan first, Plan second, boolean all) {
        return combined(first, second, all, "except", false);
    }

    private static Plan combined(Plan first, Plan second, boolean all, String name, boolean wantsBoth) {
        List<Plan> typed = PlanBuilder.sameTypes(first, second, name);
        Plan left = all ? numbered(typed.get(0)) : typed.get(0);
        Plan right = all ? numbered(typed.get(1)) : typed.get(1);
        int keys = left.schema().size();
        Plan both = new Union(List.of(marked(left, 1, 0), marked(right, 0, 1)));
        Group group = new Group(
                both,
                PlanBuilder.columns(both.schema()).subList(0, keys),
                List.of(most(both, keys), most(both, keys + 1)));
        Literal one = new Literal(1, DataType.INT);
        Expression inFirst = Operators.compare("=", PlanBuilder.column(group.schema(), keys), one);
        Expression inSecond = Operators.compare("=", PlanBuilder.column(group.schema(), keys + 1), one);
        Plan chosen =
                new Filter(group, Operators.and(List.of(inFirst, wantsBoth ? inSecond : Operators.not(inSecond))));
        return new Project(
                chosen,
                PlanBuilder.columns(chosen.schema()).subList(0, first.schema().size()));
    }

    private static Plan numbered(Plan input) {
        List<Expression> columns = new ArrayList<>();
        for (int i = 0; i < input.schema().size(); i++) {
            columns.add(PlanBuilder.column(input.schema(), i));
        }
        WindowFunction number = new WindowFunction(
                WindowFunction.Kind.ROW_NUMBER,
                List.of(),
                Optional.empty(),
                0,
                WindowFunction.Frame.ALL,
                DataType.LONG);
        return new Plan.Window(input, columns, List.of(), List.of(new NamedWindow(number, "number among equals")));
    }

    private static Plan marked(Plan input, int inFirst, int inSecond) {
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(input.schema()));
        outputs.add(Named.of("in first", new Literal(inFirst, DataType.INT)));
        outputs.add(Named.of("in second", new Literal(inSecond, DataType.INT)));
        return new Project(input, outputs);
    }

    private static NamedAggregate most(Plan input, int column) {
        Expression mark = PlanBuilder.column(input.schema(), column);
        return new NamedAggregate(
                new Aggregate(Kind.MAX, mark, DataType.INT),
                input.schema().field(column).name());
    }
}
