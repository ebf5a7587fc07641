package org.unimeros;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Function;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanExpressions;
import org.unimeros.engine.plan.RecursiveTable;
import org.unimeros.engine.stage.Sizes;

/** Computes the rows of recursive queries level by level, each by a run of its own, and puts them in their places in a plan. One thread. */
final class Recursion {

    private final long mostLevels;
    private final long mostRows;
    private final Function<Plan, List<Batch>> runner;
    private final Map<RecursiveTable, List<Batch>> computed = new IdentityHashMap<>();

    /** @param runner gives the rows of a plan */
    Recursion(Settings settings, Function<Plan, List<Batch>> runner) {
        this.mostLevels = settings.whole(Setting.RECURSION_LEVELS);
        this.mostRows = settings.whole(Setting.RECURSION_ROWS);
        this.runner = runner;
    }

    /** The same plan without recursive queries. */
    Plan resolved(Plan plan) {
        return PlanExpressions.mapScans(plan, scan -> {
            if (!(scan.source() instanceof RecursiveTable table)) {
                return scan;
            }
            List<Batch> rows = computed.get(table);
            if (rows == null) {
                rows = rows(table);
                computed.put(table, rows);
            }
            return given(scan, rows);
        });
    }

    private static Plan given(Plan.Scan scan, List<Batch> rows) {
        int[] columns = scan.columns().stream().mapToInt(c -> c).toArray();
        return new Plan.Inline(
                scan.schema(), rows.stream().map(batch -> batch.pick(columns)).toList());
    }

    private List<Batch> rows(RecursiveTable table) {
        Set<List<Object>> seen = new HashSet<>();
        List<Batch> all = new ArrayList<>();
        long count = 0;
        List<Batch> level = fresh(table, runner.apply(resolved(table.first())), seen);
        for (long depth = 0; !level.isEmpty(); depth++) {
            all.addAll(level);
            count += level.stream().mapToLong(Batch::rowCount).sum();
            if (depth == mostLevels || count > mostRows) {
                boolean isDeep = depth == mostLevels;
                throw new BadData("the recursive query " + table.name() + " has "
                        + (isDeep
                                ? "rows after " + Sizes.count(mostLevels, "level") + " (setting recursion.levels)"
                                : "more than " + Sizes.count(mostRows, "row") + " (setting recursion.rows)")
                        + "; does it go round in a circle? union without all leaves out rows that were there before");
            }
            List<Batch> before = level;
            Plan step = PlanExpressions.mapScans(
                    table.step(), scan -> scan.source() == table.level() ? given(scan, before) : scan);
            level = fresh(table, runner.apply(resolved(step)), seen);
        }
        return all;
    }

    /** The rows that were not there before, where that matters. */
    private static List<Batch> fresh(RecursiveTable table, List<Batch> rows, Set<List<Object>> seen) {
        List<Batch> filled = rows.stream().filter(b -> b.rowCount() > 0).toList();
        if (!table.isDistinct()) {
            return filled;
        }
        Schema schema = table.schema();
        List<Batch> fresh = new ArrayList<>();
        for (Batch batch : filled) {
            int[] kept = new int[batch.rowCount()];
            int n = 0;
            for (int row = 0; row < batch.rowCount(); row++) {
                List<Object> values = new ArrayList<>(schema.size());
                for (int c = 0; c < schema.size(); c++) {
                    Object value =
                            Values.get(batch.column(c), row, schema.field(c).type());
                    // Both zeros are one.
                    values.add(value instanceof Double d && d == 0 ? (Object) 0.0 : value);
                }
                if (seen.add(values)) {
                    kept[n++] = row;
                }
            }
            if (n > 0) {
                fresh.add(batch.select(kept, n).dense());
            }
        }
        return fresh;
    }
}
