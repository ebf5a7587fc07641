package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.unimeros.Engine;
import org.unimeros.Settings;

/**
 * What expressions of all kinds cost for a row, in one slot: each is asked for in a query of its own over one table, several times, of which the
 * best counts. The first one, which computes nothing, is what reading a column costs. For finding what is out of line.
 */
final class ExpressionCosts {

    private static final int TIMES = 5;

    private static final String TABLE = "select p.n as n, cast(p.n * 7919 % 100003 as int) as i,"
            + " cast(p.n * 31 % 1000 as double) / 7 as x, cast(p.n % 9973 as decimal(12, 2)) as d,"
            + " date '2031-01-01' + cast(p.n % 365 as int) as day,"
            + " timestamp_of_seconds(1924992000 + p.n % 100000 * 61) as at,"
            + " 'D' || lpad(cast(p.n * 17 % 400 as text), 3, '0') as depot,"
            + " 'parcel P' || cast(p.n * 104729 as text) || ' to ' || cast(p.n % 89 as text) as note,"
            + " case p.n % 5 when 0 then 'arrival' when 1 then 'departure' when 2 then 'loading' when 3 then null"
            + " else 'handover' end as kind from unnest(series(cast(1 as bigint), :rows)) as p(n)";

    private static final List<String> EXPRESSIONS = List.of(
            "count(n)",
            "sum(i + n * 2)",
            "sum(x * 1.5 + i)",
            "sum(d * 2 + 1)",
            "sum(case when i % 3 = 0 then n when i % 3 = 1 then i else 0 end)",
            "sum(coalesce(i, 0))",
            "sum(greatest(i, n, 5))",
            "sum(year(day)), sum(month(day))",
            "sum(hour(at))",
            "max(date_trunc('month', at))",
            "sum(date_diff('day', day, date '2032-01-01'))",
            "max(to_char(day, 'YYYY-MM'))",
            "max(cast(at as text))",
            "max(cast(d as text))",
            "sum(cast(x as int))",
            "sum(cast(d as int))",
            "max(cast(x as decimal(12, 2)))",
            "sum(round(x, 1))",
            "count(case when i in (1, 2, 3, 5, 7, 11) then 1 end)",
            "count(case when depot in ('D001', 'D002', 'D003', 'D010', 'D399') then 1 end)",
            "count(case when note like '%7 to 4%' then 1 end)",
            "count(case when note like 'parcel P_____% to _' then 1 end)",
            "sum(length(split_part(note, ' ', 2)))",
            "max(substring(note, 9, 6))",
            "sum(cast(split_part(note, ' ', 4) as int))",
            "max(upper(note))",
            "max(replace(note, 'parcel ', ''))",
            "max(concat(depot, '-', note))",
            "max(lpad(depot, 8, '0'))",
            "count(case when matches(note, 'to [0-9]$') then 1 end)",
            "max(regexp_replace(note, '7', 'x'))",
            "count(distinct depot)",
            "count(distinct i)",
            "min(kind), max(kind)",
            "median(i)");

    private final Path folder;
    private final int rows;

    ExpressionCosts(Path folder, int rows) {
        this.folder = folder;
        this.rows = rows;
    }

    void run() throws IOException {
        Files.createDirectories(folder);
        Settings settings = Settings.defaults().with("slots", "1").with("runs.folder", "");
        String table = folder.resolve("expressions-" + rows).toString();
        try (Engine engine = Engine.local(settings)) {
            if (!Files.exists(Path.of(table))) {
                engine.sql(TABLE, Map.of("rows", (long) rows)).write(table, as -> as.format("parquet"));
            }
            for (String expression : EXPRESSIONS) {
                String query = "select " + expression + " from dataset('" + table + "')";
                double best = Double.MAX_VALUE;
                for (int i = 0; i < TIMES; i++) {
                    long start = System.nanoTime();
                    engine.sql(query).fetch();
                    best = Math.min(best, (System.nanoTime() - start) / (double) rows);
                }
                System.out.printf("%7.1f ns a row  %s%n", best, expression);
            }
        }
    }
}
