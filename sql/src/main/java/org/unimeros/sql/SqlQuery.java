package org.unimeros.sql;

import java.util.Map;
import net.sf.jsqlparser.statement.Statement;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.OwnFunctions;
import org.unimeros.engine.plan.Plan;

/** Translates a query into a logical plan. */
public final class SqlQuery {

    private SqlQuery() {}

    /** The plan of one query without parameters. */
    public static Plan plan(String sql, Tables tables) {
        return plan(sql, tables, Map.of(), new OwnFunctions());
    }

    /**
     * The plan of one query.
     *
     * @param tables gives the rows of a named dataset or path; fails when there is none
     * @param parameters the values that {@code :name} stands for
     * @param functions of the job
     * @throws UserMistake when it cannot be read, is not supported, or does not fit the tables, with the place
     */
    public static Plan plan(String sql, Tables tables, Map<String, Literal> parameters, OwnFunctions functions) {
        SqlText text = new SqlText(sql);
        Statement statement = text.parse("query", p -> p.Statement());
        if (!(statement instanceof Select select)) {
            throw Refused.unsupported("a statement other than select", "write its result with --to or write(…)");
        }
        QueryContext context = new QueryContext(text, tables, Map.of(), parameters, functions);
        try {
            return new QueryTranslation(context, null).query(select);
        } catch (StackOverflowError e) {
            throw StatementLimits.tooDeep();
        }
    }
}
