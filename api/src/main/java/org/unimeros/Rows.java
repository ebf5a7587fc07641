package org.unimeros;

import java.util.ArrayList;
import java.util.List;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.plan.Pivoting;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.SetOperations;

/**
 * A table that is described but not computed. Every step gives new rows and is checked at once: a name that does not
 * exist or types that do not fit are a {@link UserMistake} with the place in the text. Nothing is read or computed until
 * {@link #fetch}, {@link #count}, {@link #preview} or {@link #write} asks for a result; that call pays for all steps
 * before it, each time anew.
 *
 * <p>Expressions are SQL. Immutable; can be used by several threads.
 */
public final class Rows {

    private static final int PREVIEW_ROWS = 10;

    private final Engine engine;
    private final Plan plan;
    private final String title;

    /** @param title what the runs that compute these rows are called in their records */
    Rows(Engine engine, Plan plan, String title) {
        this.engine = engine;
        this.plan = plan;
        this.title = title;
    }

    private Rows then(Plan next) {
        return new Rows(engine, next, title);
    }

    /** The columns and their types. */
    public Schema schema() {
        return plan.schema();
    }

    /** Gives the rows a name, so that {@code name.column} says which side of a join is meant. */
    public Rows as(String name) {
        return then(PlanBuilder.as(plan, name));
    }

    /**
     * Reads the rows as objects of a class: a Java record whose components have the names of columns, or a single value such as String
     * where there is one column.
     *
     * @throws UserMistake when class and columns do not fit, naming both
     */
    public <T> Records<T> as(Class<T> type) {
        return Records.of(engine, title, plan, type);
    }

    /** Keeps the rows for which a condition is true: {@code "weight_g > 500 and service is not null"}. */
    public Rows where(String condition) {
        return then(PlanBuilder.where(plan, engine.expressions().expression(condition, schema())));
    }

    /**
     * Makes exactly these columns: {@code "depot_id, weight_g / 1000.0 as weight_kg"}; {@code *} is all. Window functions
     * can be among them.
     */
    public Rows select(String columns) {
        return then(engine.expressions().select(plan, columns));
    }

    /** Adds a column, or replaces the one of that name. */
    public Rows derive(String name, String expression) {
        Expression value = engine.expressions().expression(expression, schema());
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(schema()));
        Named derived = Named.of(name, value);
        int known = schema().indexOf(name);
        if (known < 0) {
            outputs.add(derived);
        } else {
            outputs.set(known, derived);
        }
        return then(PlanBuilder.select(plan, outputs));
    }

    /** Gives a column another name. */
    public Rows rename(String from, String to) {
        int index = schema().resolve(from);
        if (schema().indexOf(to) >= 0 && schema().indexOf(to) != index) {
            throw new UserMistake("cannot rename " + from + " to " + to + ": there is a column " + to + " already");
        }
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(schema()));
        outputs.set(index, Named.of(to, outputs.get(index).expression()));
        return then(PlanBuilder.select(plan, outputs));
    }

    /** Leaves columns out. */
    public Rows drop(String... columns) {
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(schema()));
        List<Named> dropped = new ArrayList<>();
        for (String column : columns) {
            dropped.add(outputs.get(schema().resolve(column)));
        }
        outputs.removeAll(dropped);
        if (outputs.isEmpty()) {
            throw new UserMistake("drop would leave no column");
        }
        return then(PlanBuilder.select(plan, outputs));
    }

    /** Pairs with the rows of another input for which a condition is true: {@code "s.parcel_id = p.parcel_id"}. */
    public Rows join(Rows other, String condition) {
        return join(other, condition, JoinBy.SIZE);
    }

    public Rows join(Rows other, String condition, JoinBy how) {
        return join(other, JoinKind.INNER, condition, how);
    }

    /** Like {@link #join(Rows, String)}, but rows without a match stay, with nulls for the other side. */
    public Rows leftJoin(Rows other, String condition) {
        return leftJoin(other, condition, JoinBy.SIZE);
    }

    public Rows leftJoin(Rows other, String condition, JoinBy how) {
        return join(other, JoinKind.LEFT, condition, how);
    }

    /** Like {@link #join(Rows, String)}, but rows of the other side without a match stay, with nulls for this one. */
    public Rows rightJoin(Rows other, String condition) {
        return then(PlanBuilder.rightJoin(plan, other.plan, JoinMethod.AUTOMATIC, condition(other, condition)));
    }

    /** Like {@link #join(Rows, String)}, but rows of both sides without a match stay, with nulls for the other. */
    public Rows fullJoin(Rows other, String condition) {
        return join(other, JoinKind.FULL, condition, JoinBy.SIZE);
    }

    /** Every pair of a row of this input and one of the other. */
    public Rows crossJoin(Rows other) {
        return join(other, JoinKind.INNER, "true", JoinBy.SIZE);
    }

    /** The rows that have a match in another input, each once and without its columns. */
    public Rows semiJoin(Rows other, String condition) {
        return join(other, JoinKind.SEMI, condition, JoinBy.SIZE);
    }

    /** The rows that have no match in another input. */
    public Rows antiJoin(Rows other, String condition) {
        return join(other, JoinKind.ANTI, condition, JoinBy.SIZE);
    }

    /** All rows, each once, and a boolean column that tells whether it has a match in another input. */
    public Rows markMatches(String column, Rows other, String condition) {
        Rows marked = join(other, JoinKind.MARK, condition, JoinBy.SIZE);
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(marked.schema()));
        int last = outputs.size() - 1;
        outputs.set(last, Named.of(column, outputs.get(last).expression()));
        return then(PlanBuilder.select(marked.plan, outputs));
    }

    private Rows join(Rows other, JoinKind kind, String condition, JoinBy how) {
        JoinMethod method = switch (how) {
            case SIZE -> JoinMethod.AUTOMATIC;
            case COPY -> JoinMethod.COPIED;
            case SHUFFLE -> JoinMethod.SHUFFLED;
        };
        return then(PlanBuilder.join(plan, other.plan, kind, method, condition(other, condition)));
    }

    private Expression condition(Rows other, String condition) {
        requireSameEngine(other);
        return engine.expressions().expression(condition, schema().concat(other.schema()));
    }

    private void requireSameEngine(Rows other) {
        if (other.engine != engine) {
            throw new UserMistake("both inputs must come from the same engine");
        }
    }

    /** Begins a summary: {@code groupBy("depot_id", "day").summarise("count(*) as parcels")}. Without keys, of all rows. */
    public Grouped groupBy(String... keys) {
        List<Named> named = new ArrayList<>();
        for (String key : keys) {
            named.addAll(engine.expressions().keys(key, schema()));
        }
        return new Grouped(this::then, engine.expressions(), plan, named);
    }

    /** One row with aggregates of all rows. */
    public Rows summarise(String... aggregates) {
        return groupBy().summarise(aggregates);
    }

    /** Puts the rows in order: {@code "day desc, depot_id"}. Nulls come last, and first where descending. */
    public Rows sortBy(String order) {
        return then(new Sort(plan, engine.expressions().order(order, schema())));
    }

    /** The first rows; which ones is certain only after {@link #sortBy}. */
    public Rows limit(long rows) {
        return then(PlanBuilder.limit(plan, 0, rows));
    }

    /** These rows and those of another input; columns meet by position. */
    public Rows union(Rows other) {
        requireSameEngine(other);
        return then(PlanBuilder.union(plan, other.plan));
    }

    /** The different rows that both inputs have; null equals null. */
    public Rows intersect(Rows other) {
        requireSameEngine(other);
        return then(SetOperations.intersect(plan, other.plan, false));
    }

    /** The different rows that the other input has not; null equals null. */
    public Rows except(Rows other) {
        requireSameEngine(other);
        return then(SetOperations.except(plan, other.plan, false));
    }

    /**
     * Makes rows of columns: for each row, and each of some columns of one type, a row with the name of the column and
     * its value, beside all other columns. Null values are left out.
     */
    public Rows unpivot(String nameColumn, String valueColumn, String... columns) {
        if (columns.length == 0) {
            throw new UserMistake("unpivot needs the columns whose values become rows");
        }
        List<String> labels = Stream.of(columns)
                .map(c -> schema().field(schema().resolve(c)).name())
                .toList();
        return then(Pivoting.unpivot(plan, nameColumn, valueColumn, List.of(columns), labels, false));
    }

    /**
     * A row for each element of a list, with all columns and behind them that of the element, or those of its fields where
     * it is a struct. Rows whose list is empty or null are left out.
     *
     * @param list a column, or an expression, that is a list
     * @param as the name of the new column, and a qualifier for those of a struct
     */
    public Rows unnest(String list, String as) {
        Expression value = engine.expressions().expression(list, schema());
        return then(PlanBuilder.unnest(plan, value, as, List.of(), false, false));
    }

    /** The same, but rows without elements stay, with nulls for the new columns. */
    public Rows unnestKeeping(String list, String as) {
        Expression value = engine.expressions().expression(list, schema());
        return then(PlanBuilder.unnest(plan, value, as, List.of(), false, true));
    }

    /** Every different row once. */
    public Rows distinct() {
        return then(PlanBuilder.distinct(plan));
    }

    /** Computes all rows and brings them into the memory of this program. */
    public Result fetch() {
        return engine.execution().fetch(plan, title);
    }

    /**
     * Computes all rows and holds them where they were made, on workers or in this process, for repeated questions: {@code held.rows()} asks of them as of any
     * other rows. What does not fit into memory is spilled.
     *
     * @throws UserMistake when two columns have the same name
     */
    public Held hold() {
        plan.schema().requireUniqueNames("held rows");
        return engine.hold(PlanBuilder.as(plan, null), title);
    }

    /** Computes the number of rows. */
    public long count() {
        return summarise("count(*) as n").fetch().row(0).longValue("n");
    }

    /** Computes the first ten rows, reading no more than that takes. */
    public Result preview() {
        return limit(PREVIEW_ROWS).fetch();
    }

    /**
     * Computes all rows and writes them to a folder. They appear there in one step when all is done; if the run fails or
     * the process dies, the folder is as it was before.
     */
    public Run write(String location, UnaryOperator<WriteOptions> as) {
        WriteOptions options = as.apply(new WriteOptions());
        return engine.execution().write(plan, title, options.spec(location, engine.formats(), engine.settings()));
    }

    /** The plan by which the rows would be computed: as data flows, with sizes and reasons. */
    public String explain() {
        return engine.execution().explain(plan);
    }

    /** The steps as they were described, before any rewriting. */
    public String describe() {
        return plan.print();
    }
}
