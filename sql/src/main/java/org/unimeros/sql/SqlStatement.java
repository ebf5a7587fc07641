package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import net.sf.jsqlparser.statement.Statement;
import net.sf.jsqlparser.statement.create.table.CreateTable;
import net.sf.jsqlparser.statement.create.view.CreateView;
import net.sf.jsqlparser.statement.insert.Insert;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.OwnFunctions;
import org.unimeros.engine.plan.Plan;

/** One statement of a script. */
public sealed interface SqlStatement {

    /** Rows that are asked for. */
    record Query(Plan plan) implements SqlStatement {}

    /** A name for rows, which later statements can use. */
    record View(String name, Plan plan, boolean replaces) implements SqlStatement {}

    /**
     * Rows that are added to a dataset.
     *
     * @param columns the columns that get them, all in their order when there are none
     */
    record AddTo(String dataset, List<String> columns, Plan plan) implements SqlStatement {
        public AddTo {
            columns = List.copyOf(columns);
        }
    }

    /** Rows that become a dataset. */
    record CreateAs(String dataset, Plan plan, boolean replaces, boolean unlessThere) implements SqlStatement {}

    /**
     * The texts of the statements of a script, which semicolons end. Each begins with as many empty lines as stand
     * before it, so that the places of mistakes are right.
     */
    static List<String> split(String script) {
        List<String> statements = new ArrayList<>();
        StringBuilder current = new StringBuilder();
        int at = 0;
        while (at < script.length()) {
            int end = endOfToken(script, at);
            String token = script.substring(at, end);
            at = end;
            if (token.equals(";")) {
                addUnlessBlank(statements, current);
                String before = script.substring(0, at);
                current.setLength(0);
                current.append(
                        "\n".repeat((int) before.chars().filter(c -> c == '\n').count()));
            } else {
                current.append(token);
            }
        }
        addUnlessBlank(statements, current);
        return statements;
    }

    private static void addUnlessBlank(List<String> statements, StringBuilder text) {
        String bare = text.toString().replaceAll("(?s)/\\*.*?\\*/", " ").replaceAll("--[^\n]*", " ");
        if (!bare.isBlank()) {
            statements.add(text.toString());
        }
    }

    /** The end of the quoted text, the comment or the character that begins here. */
    static int endOfToken(String script, int at) {
        char c = script.charAt(at);
        int end;
        if (c == '\'' || c == '"') {
            end = script.indexOf(c, at + 1);
            return end < 0 ? script.length() : end + 1;
        }
        if (script.startsWith("--", at)) {
            end = script.indexOf('\n', at);
            return end < 0 ? script.length() : end;
        }
        if (script.startsWith("/*", at)) {
            end = script.indexOf("*/", at + 2);
            return end < 0 ? script.length() : end + 2;
        }
        return at + 1;
    }

    /**
     * The meaning of one statement.
     *
     * @param tables gives the rows of a named dataset or path; fails when there is none
     * @param views the rows of views, by their names in lower case
     * @param parameters the values that {@code :name} stands for
     * @param functions of the job
     * @throws UserMistake when it cannot be read, is not supported, or does not fit the tables, with the place
     */
    static SqlStatement of(
            String sql,
            Tables tables,
            Map<String, Plan> views,
            Map<String, Literal> parameters,
            OwnFunctions functions) {
        SqlText text = new SqlText(sql);
        Statement statement = text.parse("statement", p -> p.Statement());
        QueryContext context = new QueryContext(text, tables, views, parameters, functions);
        return switch (statement) {
            case Select s -> new Query(plan(s, context));
            case CreateView v -> view(v, context);
            case CreateTable c -> {
                if (c.getSelect() == null) {
                    throw Refused.unsupported("create table without a query", "write: create table name as select …");
                }
                if (c.getColumnDefinitions() != null
                        && !c.getColumnDefinitions().isEmpty()) {
                    throw Refused.unsupported(
                            "column definitions of a table that is made from a query", "cast the columns in the query");
                }
                yield new CreateAs(
                        FromTranslation.tableName(c.getTable()),
                        plan(c.getSelect(), context),
                        c.isOrReplace(),
                        c.isIfNotExists());
            }
            case Insert i -> insert(i, context);
            default ->
                throw Refused.unsupported(
                        "this kind of statement",
                        "use select, create view, create table … as, or insert into … select");
        };
    }

    private static Plan plan(Select select, QueryContext context) {
        try {
            return new QueryTranslation(context, null).query(select);
        } catch (StackOverflowError e) {
            throw StatementLimits.tooDeep();
        }
    }

    private static SqlStatement view(CreateView v, QueryContext context) {
        String name = FromTranslation.tableName(v.getView());
        List<String> columns = v.getColumnNames() == null
                ? List.of()
                : v.getColumnNames().stream().map(SqlNames::name).toList();
        Plan plan = FromTranslation.withColumns(plan(v.getSelect(), context), name, columns);
        return new View(name, plan, v.isOrReplace());
    }

    private static SqlStatement insert(Insert i, QueryContext context) {
        if (i.getTable().getAlias() != null) {
            throw Refused.unsupported("another name for the target of an insert", "leave it out");
        }
        if (i.getSelect() == null || i.getConflictAction() != null || i.getReturningClause() != null) {
            throw Refused.unsupported("this kind of insert", "write: insert into name select …, or values (…)");
        }
        List<String> columns = i.getColumns() == null
                ? List.of()
                : i.getColumns().stream().map(SqlNames::name).toList();
        return new AddTo(FromTranslation.tableName(i.getTable()), columns, plan(i.getSelect(), context));
    }
}
