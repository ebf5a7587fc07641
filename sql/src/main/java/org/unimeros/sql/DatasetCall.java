package org.unimeros.sql;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import net.sf.jsqlparser.expression.ArrayConstructor;
import net.sf.jsqlparser.expression.OracleNamedFunctionParameter;
import net.sf.jsqlparser.statement.select.TableFunction;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.plan.Plan;

/**
 * A dataset as an input that is not only named: {@code dataset('scans/*.csv', delimiter => ';', null_text => array['-', 'n/a'])}. The arguments
 * without a name are paths or names; the others say how files are read, by the names of format options, or {@code format}, {@code columns} and {@code
 * partitions}.
 */
final class DatasetCall {

    private static final String NAME = "dataset";

    private final TableFunction call;
    private final QueryContext context;
    private final List<String> paths = new ArrayList<>();
    private final Map<String, List<String>> said = new LinkedHashMap<>();

    DatasetCall(TableFunction call, QueryContext context) {
        this.call = call;
        this.context = context;
        if (call.getWithClause() != null) {
            throw mistake("with " + call.getWithClause() + " is not supported behind dataset(…); number rows by"
                    + " row_number() over (order by …)");
        }
        ExpressionResolver.argumentsOfInput(call.getFunction()).forEach(this::add);
        if (paths.isEmpty()) {
            throw mistake("dataset(…) needs a path or a name, as in dataset('scans/2031')");
        }
    }

    static boolean is(TableFunction call) {
        return !call.isRowsFrom() && NAME.equalsIgnoreCase(call.getFunction().getName());
    }

    private void add(net.sf.jsqlparser.expression.Expression argument) {
        if (argument instanceof OracleNamedFunctionParameter named) {
            String name = SqlNames.unquoted(named.getName()).toLowerCase(Locale.ROOT);
            if (said.put(name, texts(named.getExpression())) != null) {
                throw mistake("dataset(…) has the argument " + name + " twice");
            }
        } else {
            paths.addAll(texts(argument));
        }
    }

    private List<String> texts(net.sf.jsqlparser.expression.Expression argument) {
        List<String> all = new ArrayList<>();
        if (argument instanceof ArrayConstructor several) {
            several.getExpressions().forEach(one -> all.addAll(texts(one)));
            return all;
        }
        Scope nothing = new RowScope(null, new Schema(List.of()), null, "write a constant", null);
        Expression value = new ExpressionResolver(context, nothing).resolve(argument);
        if (!(value instanceof Literal literal) || literal.value() == null) {
            throw mistake("arguments of dataset(…) are constants, but found " + argument);
        }
        return List.of(Values.text(literal.value()));
    }

    /** The first path or name. */
    String first() {
        return paths.get(0);
    }

    Plan plan() {
        try {
            return context.tables().dataset(paths, said);
        } catch (UserMistake e) {
            throw mistake(e.getMessage());
        }
    }

    private UserMistake mistake(String message) {
        return context.text().at(call.getFunction(), new UserMistake(message));
    }
}
