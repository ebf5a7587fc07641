package org.unimeros;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.NoSuchElementException;
import java.util.Optional;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.sql.SqlParameters;
import org.unimeros.sql.SqlStatement;
import org.unimeros.storage.dataset.Dataset;

/**
 * Several statements, carried out one after the other as the steps are taken. A statement is looked at when its turn
 * comes, so that it can use what those before it have made. Used by one thread.
 */
public final class Script implements Iterator<Script.Step> {

    private final Engine engine;
    private final List<String> statements;
    private final Map<String, Literal> parameters;
    private final Map<String, Plan> views = new HashMap<>();
    private int next;

    /**
     * What a statement came to.
     *
     * @param statement its text
     * @param rows the rows of a query, which nobody has computed yet
     * @param run the run that wrote a dataset
     * @param note a line that says what was done, for a statement that is no query
     */
    public record Step(String statement, Optional<Rows> rows, Optional<Run> run, String note) {}

    Script(Engine engine, String text, Map<String, Literal> parameters) {
        this.engine = engine;
        this.statements = SqlStatement.split(text);
        this.parameters = parameters;
        if (statements.isEmpty()) {
            throw new UserMistake("there is no statement in this script");
        }
    }

    /**
     * What a text on a command line means as a parameter: numbers, true, false and null, literals such as {@code date
     * '2031-03-02'}, and anything else, also digits with leading zeros, as text.
     */
    public static Object parameter(String text) {
        return SqlParameters.parse(text).value();
    }

    /** How many statements there are. */
    public int size() {
        return statements.size();
    }

    @Override
    public boolean hasNext() {
        return next < statements.size();
    }

    /**
     * Carries out the next statement; the rows of a query are left to the caller.
     *
     * @throws UserMistake when it cannot be understood, with its place in the script
     */
    @Override
    public Step next() {
        if (!hasNext()) {
            throw new NoSuchElementException("the script is over");
        }
        String text = statements.get(next++);
        return switch (SqlStatement.of(text, engine.tables(), views, parameters, engine.functions())) {
            case SqlStatement.Query q ->
                new Step(text.strip(), Optional.of(new Rows(engine, q.plan(), text.strip())), Optional.empty(), "");
            case SqlStatement.View v -> view(text, v);
            case SqlStatement.CreateAs c -> create(text, c);
            case SqlStatement.AddTo i -> insert(text, i);
        };
    }

    private Step view(String text, SqlStatement.View v) {
        Plan before = views.putIfAbsent(v.name().toLowerCase(Locale.ROOT), v.plan());
        if (before != null && !v.replaces()) {
            throw new UserMistake("there is a view " + v.name() + " already; write create or replace view");
        }
        views.put(v.name().toLowerCase(Locale.ROOT), v.plan());
        return new Step(
                text.strip(),
                Optional.empty(),
                Optional.empty(),
                "view " + v.name() + " " + v.plan().schema().qualified(null));
    }

    private Step create(String text, SqlStatement.CreateAs c) {
        String location = engine.catalog().location(c.dataset()).toString();
        if (c.unlessThere() && exists(c.dataset())) {
            return new Step(text.strip(), Optional.empty(), Optional.empty(), c.dataset() + " is there already");
        }
        String mode = c.replaces() ? "replace" : "fail";
        Run run = new Rows(engine, c.plan(), text.strip()).write(location, as -> as.mode(mode));
        return new Step(text.strip(), Optional.empty(), Optional.of(run), "wrote " + location + ": " + run.summary());
    }

    private boolean exists(String dataset) {
        try {
            engine.catalog().find(dataset);
            return true;
        } catch (UserMistake e) {
            return false;
        }
    }

    /** New files get the format with its options, the columns and the partitions of those that are there. */
    private Step insert(String text, SqlStatement.AddTo i) {
        Dataset dataset = Dataset.open(engine.catalog().find(i.dataset()), engine.formats());
        Plan fitting = fitting(i, dataset.schema());
        String[] partitions =
                dataset.partitionFields().stream().map(Field::name).toArray(String[]::new);
        String location = engine.catalog().location(i.dataset()).toString();
        Run run = new Rows(engine, fitting, text.strip())
                .write(
                        location,
                        as -> as.format(dataset.format().name())
                                .options(dataset.spec()
                                        .options()
                                        .only(dataset.format().writeOptions()))
                                .partitionedBy(partitions)
                                .appending());
        return new Step(
                text.strip(), Optional.empty(), Optional.of(run), "added to " + location + ": " + run.summary());
    }

    /** A bare null has the type of text until it is known what it stands for. */
    private static boolean isNull(Plan plan, int column) {
        return plan instanceof Plan.Project project
                && project.outputs().get(column).expression() instanceof Literal literal
                && literal.value() == null;
    }

    private static Plan fitting(SqlStatement.AddTo i, Schema target) {
        Schema given = i.plan().schema();
        List<String> names = i.columns().isEmpty() ? target.names() : i.columns();
        if (names.size() != given.size()) {
            throw new UserMistake("insert into " + i.dataset() + " needs " + names.size() + " columns ("
                    + String.join(", ", names) + "), but the query has " + given.size());
        }
        Expression[] values = new Expression[target.size()];
        for (int k = 0; k < names.size(); k++) {
            int place = target.resolve(names.get(k));
            Field column = target.field(place);
            Expression value = isNull(i.plan(), k) ? new Literal(null, column.type()) : PlanBuilder.column(given, k);
            boolean fits = Types.common(value.type(), column.type())
                    .filter(column.type()::equals)
                    .isPresent();
            if (!fits) {
                throw new UserMistake("insert into " + i.dataset() + ": column " + column.name() + " is "
                        + column.type() + ", but " + given.field(k).name() + " is " + value.type() + "; cast it");
            }
            values[place] = Types.coerce(value, column.type());
        }
        List<Named> outputs = new ArrayList<>();
        for (int k = 0; k < values.length; k++) {
            Field column = Field.of(target.field(k).name(), target.field(k).type());
            outputs.add(new Named(values[k] == null ? new Literal(null, column.type()) : values[k], column));
        }
        return PlanBuilder.select(i.plan(), outputs);
    }
}
