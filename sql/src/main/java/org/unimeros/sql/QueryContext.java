package org.unimeros.sql;

import java.util.HashMap;
import java.util.Locale;
import java.util.Map;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.OwnFunctions;
import org.unimeros.engine.plan.Plan;

/**
 * What is known while a text is translated.
 *
 * @param tables gives the rows of a dataset or path
 * @param named queries that {@code with} or {@code create view} gave a name, in lower case
 * @param parameters the values of {@code :name}
 * @param functions of the job
 */
record QueryContext(
        SqlText text,
        Tables tables,
        Map<String, Plan> named,
        Map<String, Literal> parameters,
        OwnFunctions functions,
        StatementLimits limits) {

    QueryContext(
            SqlText text,
            Tables tables,
            Map<String, Plan> named,
            Map<String, Literal> parameters,
            OwnFunctions functions) {
        this(text, tables, named, parameters, functions, new StatementLimits());
    }

    /** For expressions in calls, which have no tables. */
    static QueryContext ofExpression(SqlText text, OwnFunctions functions) {
        return new QueryContext(
                text,
                name -> {
                    throw new UserMistake(
                            "a query inside an expression of a call knows no datasets; use engine.sql(…)");
                },
                Map.of(),
                Map.of(),
                functions);
    }

    /** A context in which one more query has a name. */
    QueryContext with(String name, Plan plan) {
        Map<String, Plan> more = new HashMap<>(named);
        more.put(name.toLowerCase(Locale.ROOT), plan);
        return new QueryContext(text, tables, more, parameters, functions, limits);
    }

    Expression parameter(String name) {
        Literal value = parameters.get(name);
        if (value == null) {
            throw new UserMistake(
                    "parameter :" + name + " has no value" + NameSuggestions.hint(name, parameters.keySet())
                            + "; give it one with --param " + name + "=…, or as an argument of the call");
        }
        return value;
    }

    /** The plan of a query inside an expression of a scope, whose columns it can read. */
    Plan innerQuery(Select select, Scope scope) {
        return new QueryTranslation(this, scope).query(select);
    }
}
