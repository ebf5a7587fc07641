package org.unimeros.engine.model;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Predicate;
import org.unimeros.engine.plan.Plan;

/** Makes a plan that fails smaller, as long as it still fails: parts of it alone, and tables with fewer rows. */
final class Shrinking {

    private Shrinking() {}

    static Plan least(Plan plan, Predicate<Plan> fails) {
        if (!fails.test(plan)) {
            return plan;
        }
        Plan current = plan;
        boolean smaller = true;
        while (smaller) {
            smaller = false;
            for (Plan candidate : candidates(current)) {
                if (fails.test(candidate)) {
                    current = candidate;
                    smaller = true;
                    break;
                }
            }
        }
        return current;
    }

    private static List<Plan> candidates(Plan plan) {
        List<Plan> all = new ArrayList<>(plan.inputs());
        if (plan instanceof Plan.Scan s) {
            TestTable t = (TestTable) s.source();
            int half = t.rows().size() / 2;
            if (half > 0) {
                all.add(over(s, t, t.rows().subList(0, half)));
                all.add(over(s, t, t.rows().subList(half, t.rows().size())));
                all.add(over(s, t, t.rows().subList(1, t.rows().size())));
            }
            return all;
        }
        for (int i = 0; i < plan.inputs().size(); i++) {
            for (Plan input : candidates(plan.inputs().get(i))) {
                if (input.schema().equals(plan.inputs().get(i).schema())) {
                    all.add(with(plan, i, input));
                }
            }
        }
        return all;
    }

    private static Plan over(Plan.Scan s, TestTable t, List<List<Object>> rows) {
        TestTable fewer = new TestTable(t.name(), t.schema(), rows, t.rowsPerSplit(), t.rowsPerBatch());
        return new Plan.Scan(fewer, s.columns(), s.schema(), s.conditions());
    }

    private static Plan with(Plan plan, int index, Plan input) {
        return switch (plan) {
            case Plan.Scan s -> s;
            case Plan.Inline i -> i;
            case Plan.Filter f -> new Plan.Filter(input, f.condition());
            case Plan.Project p -> new Plan.Project(input, p.outputs());
            case Plan.Join j ->
                new Plan.Join(
                        index == 0 ? input : j.left(),
                        index == 1 ? input : j.right(),
                        j.kind(),
                        j.method(),
                        j.leftKeys(),
                        j.rightKeys(),
                        j.condition());
            case Plan.Group g -> new Plan.Group(input, g.keys(), g.aggregates());
            case Plan.Expand e -> new Plan.Expand(input, e.variants());
            case Plan.Apply a -> a;
            case Plan.Reduce r -> r;
            case Plan.Unnest u -> new Plan.Unnest(input, u.list(), u.elements(), u.position(), u.keepsEmpty());
            case Plan.Window w -> new Plan.Window(input, w.partition(), w.order(), w.functions());
            case Plan.Sort s -> new Plan.Sort(input, s.keys());
            case Plan.Limit l -> new Plan.Limit(input, l.offset(), l.count());
            case Plan.Union u -> {
                List<Plan> inputs = new ArrayList<>(u.inputs());
                inputs.set(index, input);
                yield new Plan.Union(inputs);
            }
        };
    }

    /** The tables that a plan reads, with their rows. */
    static List<String> tables(Plan plan) {
        List<String> all = new ArrayList<>();
        if (plan instanceof Plan.Scan s && s.source() instanceof TestTable t) {
            all.add(t.name() + " " + t.schema() + " " + t.rows());
        }
        plan.inputs().forEach(input -> all.addAll(tables(input)));
        return all;
    }
}
