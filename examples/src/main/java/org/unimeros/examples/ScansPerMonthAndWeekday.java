package org.unimeros.examples;

import java.nio.file.Path;
import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.temporal.ChronoUnit;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.code.Partitioners;

/**
 * How busy is each day of the week, month by month? Twelve reducers, one per month, and a folder per month and weekday. A ready-made
 * partitioner divides keys by time.
 */
public final class ScansPerMonthAndWeekday {

    private static final int MONTHS = 12;

    private ScansPerMonthAndWeekday() {}

    /** What is read of a scan; {@code day} is the name of a folder. */
    public record Scan(String kind, LocalDate day) {}

    /** Scans of a day. */
    public record Day(int month, DayOfWeek weekday, LocalDate day, long scans, long deliveries) {}

    public static Run run(Engine engine, Path data, Path out) {
        return engine.read(data.resolve("scans").toString(), o -> o.column("kind", "text"))
                .as(Scan.class)
                .keyBy(LocalDate.class, Scan::day)
                .reducers(MONTHS)
                .partitionBy(Partitioners.byDate(ChronoUnit.MONTHS))
                .reduce(Day.class, (day, scans, days) -> {
                    long count = 0;
                    long deliveries = 0;
                    for (Scan scan : scans) {
                        count++;
                        deliveries += scan.kind().equals("delivery") ? 1 : 0;
                    }
                    days.add(new Day(day.getMonthValue(), day.getDayOfWeek(), day, count, deliveries));
                })
                .write(
                        out.resolve("month_weekdays").toString(),
                        as -> as.parquet().partitionedBy("month", "weekday").replacing());
    }

    public static void main(String[] args) {
        Settings settings = Settings.defaults().with("bad-records", "divert").withEnvironment(System.getenv());
        try (Engine engine = Engine.open(settings)) {
            Path data = Path.of(args.length > 0 ? args[0] : "demo");
            System.out.println(run(engine, data, Path.of(args.length > 1 ? args[1] : "out"))
                    .summary());
        }
    }
}
