package org.unimeros.engine.source;

import java.util.List;
import org.unimeros.engine.expr.Expression;

/**
 * What a scan wants.
 *
 * @param columns the wanted columns, as positions in the source's schema; batches hold them in this order
 * @param conditions conditions over the wanted columns ({@link Expression.ColumnRef#index} counts within {@code
 *     columns}) that all rows of interest fulfil; a source may use them to leave data out
 * @param targetSplitBytes how much one split should read
 */
public record ScanRequest(List<Integer> columns, List<Expression> conditions, long targetSplitBytes) {

    public ScanRequest {
        columns = List.copyOf(columns);
        conditions = List.copyOf(conditions);
    }
}
