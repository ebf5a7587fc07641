package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.Select;

/** Looks for the columns that a call reads, outside of inner queries. */
final class ColumnFinder {

    private ColumnFinder() {}

    static List<Column> columns(AggregateNode call) {
        List<Column> columns = new ArrayList<>();
        List<Object> read = new ArrayList<>(call.arguments());
        call.order().forEach(e -> read.add(e.getExpression()));
        call.onlyWhere().ifPresent(read::add);
        Nodes.walk(read, node -> {
            if (node instanceof Column column) {
                columns.add(column);
            }
            return !(node instanceof Column || node instanceof Select);
        });
        return columns;
    }
}
