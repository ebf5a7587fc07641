package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import net.sf.jsqlparser.expression.ExpressionVisitorAdapter;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.Select;

/** Looks for the columns that a call reads, outside of inner queries. */
final class ColumnFinder extends ExpressionVisitorAdapter<Void> {

    private final List<Column> columns = new ArrayList<>();

    private ColumnFinder() {}

    static List<Column> columns(AggregateNode call) {
        ColumnFinder finder = new ColumnFinder();
        call.arguments().forEach(e -> e.accept(finder, null));
        call.order().forEach(e -> e.getExpression().accept(finder, null));
        call.onlyWhere().ifPresent(e -> e.accept(finder, null));
        return finder.columns;
    }

    @Override
    public <S> Void visit(Column column, S context) {
        columns.add(column);
        return null;
    }

    @Override
    public <S> Void visit(ParenthesedSelect select, S context) {
        return null;
    }

    @Override
    public <S> Void visit(Select select, S context) {
        return null;
    }
}
