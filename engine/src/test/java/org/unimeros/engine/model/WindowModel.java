package org.unimeros.engine.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.WindowFunction.Bound;
import org.unimeros.engine.expr.WindowFunction.Frame;
import org.unimeros.engine.expr.WindowFunction.Unit;
import org.unimeros.engine.plan.Plan;

/** What window functions mean: for every row, look at all rows of its partition again. */
final class WindowModel {

    private final List<List<Object>> partition;
    private final List<SortKey> order;

    private WindowModel(List<List<Object>> partition, List<SortKey> order) {
        this.partition = partition.stream().sorted(RowModel.by(order)).toList();
        this.order = order;
    }

    static List<List<Object>> rows(Plan.Window w) {
        Map<List<Object>, List<List<Object>>> partitions = new LinkedHashMap<>();
        for (List<Object> row : RowModel.rows(w.input())) {
            List<Object> key = new ArrayList<>();
            w.partition().forEach(p -> key.add(RowModel.canonical(RowModel.value(p, row))));
            partitions.computeIfAbsent(key, k -> new ArrayList<>()).add(row);
        }
        List<List<Object>> out = new ArrayList<>();
        for (List<List<Object>> members : partitions.values()) {
            WindowModel model = new WindowModel(members, w.order());
            for (int i = 0; i < members.size(); i++) {
                List<Object> row = new ArrayList<>(model.partition.get(i));
                for (Plan.NamedWindow f : w.functions()) {
                    row.add(model.value(f.function(), i));
                }
                out.add(row);
            }
        }
        return out;
    }

    private boolean peers(int a, int b) {
        return RowModel.by(order).compare(partition.get(a), partition.get(b)) == 0;
    }

    private Object value(WindowFunction f, int i) {
        int n = partition.size();
        int before = 0;
        int groupsBefore = 0;
        for (int k = 0; k < i; k++) {
            before += peers(k, i) ? 0 : 1;
            groupsBefore += !peers(k, i) && !peers(k, k + 1) ? 1 : 0;
        }
        int upToPeers = before;
        while (upToPeers < n && peers(upToPeers, i)) {
            upToPeers++;
        }
        return switch (f.kind()) {
            case ROW_NUMBER -> i + 1L;
            case RANK -> before + 1L;
            case DENSE_RANK -> groupsBefore + 1L;
            case PERCENT_RANK -> n == 1 ? 0.0 : (double) before / (n - 1);
            case CUME_DIST -> (double) upToPeers / n;
            case NTILE -> tile(i, n, f.number());
            case LAG -> shifted(f, i, i - f.number());
            case LEAD -> shifted(f, i, i + f.number());
            case FIRST_VALUE -> nth(f, frame(f.frame(), i), 0);
            case LAST_VALUE -> nth(f, frame(f.frame(), i), frame(f.frame(), i).size() - 1);
            case NTH_VALUE -> nth(f, frame(f.frame(), i), f.number() - 1);
            case AGGREGATE -> RowModel.aggregate(f.aggregate().orElseThrow(), frame(f.frame(), i));
        };
    }

    private static int tile(int i, int n, int parts) {
        int row = 0;
        for (int p = 0; p < parts; p++) {
            row += n / parts + (p < n % parts ? 1 : 0);
            if (i < row) {
                return p + 1;
            }
        }
        throw new IllegalStateException();
    }

    private Object shifted(WindowFunction f, int i, int other) {
        return other < 0 || other >= partition.size()
                ? RowModel.value(f.arguments().get(1), partition.get(i))
                : RowModel.value(f.arguments().get(0), partition.get(other));
    }

    private Object nth(WindowFunction f, List<List<Object>> frame, int index) {
        return index < 0 || index >= frame.size()
                ? null
                : RowModel.value(f.arguments().get(0), frame.get(index));
    }

    private List<List<Object>> frame(Frame frame, int i) {
        List<List<Object>> rows = new ArrayList<>();
        for (int k = 0; k < partition.size(); k++) {
            if (inside(frame, frame.start(), i, k, true) && inside(frame, frame.end(), i, k, false)) {
                rows.add(partition.get(k));
            }
        }
        return rows;
    }

    /** Whether row k is on the inner side of a bound of the frame of row i. */
    private boolean inside(Frame frame, Bound bound, int i, int k, boolean isStart) {
        int side = isStart ? 1 : -1;
        return switch (bound.kind()) {
            case UNBOUNDED_PRECEDING -> isStart;
            case UNBOUNDED_FOLLOWING -> !isStart;
            case CURRENT_ROW -> frame.unit() == Unit.ROWS ? side * (k - i) >= 0 : peers(k, i) || side * (k - i) > 0;
            case PRECEDING, FOLLOWING -> {
                if (frame.unit() == Unit.ROWS) {
                    long edge = i + (bound.kind() == WindowFunction.BoundKind.PRECEDING ? -1 : 1) * bound.rows();
                    yield side * (k - edge) >= 0;
                }
                SortKey key = order.get(0);
                Object here = RowModel.value(key.expression(), partition.get(i));
                Object there = RowModel.value(key.expression(), partition.get(k));
                if (here == null) {
                    yield there == null;
                }
                Object edge = RowModel.value(bound.value().orElseThrow(), partition.get(i));
                yield side * RowModel.compare(key, there, edge) >= 0;
            }
        };
    }
}
