package org.unimeros.examples;

import java.nio.file.Path;
import java.time.LocalDate;
import java.util.Locale;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.code.Aggregator;
import org.unimeros.code.LineFormat;

/**
 * Loading lists for the vans, in the fixed-width format that their devices read, and what is on them: a file format of the job's own, written
 * and read, and an aggregate of its own.
 */
public final class LoadingLists {

    private LoadingLists() {}

    /** A line of a list. */
    public record Loaded(long parcelId, String postcode, Integer weightG, LocalDate postedOn) {}

    /** Ten characters for the parcel, eight for the postcode, six for its weight in grams, and the day. */
    public static final class LoadingList implements LineFormat<Loaded> {
        private static final int PARCEL = 10;
        private static final int POSTCODE = 18;
        private static final int WEIGHT = 24;
        private static final int LENGTH = 34;

        @Override
        public String name() {
            return "loading-list";
        }

        @Override
        public String ending() {
            return ".lst";
        }

        @Override
        public Class<Loaded> type() {
            return Loaded.class;
        }

        @Override
        public Loaded read(String line) {
            if (line.length() != LENGTH) {
                throw new IllegalArgumentException(line.length() + " characters instead of " + LENGTH);
            }
            String weight = line.substring(POSTCODE, WEIGHT).strip();
            return new Loaded(
                    Long.parseLong(line.substring(0, PARCEL).strip()),
                    line.substring(PARCEL, POSTCODE).strip(),
                    weight.isEmpty() ? null : Integer.valueOf(weight),
                    LocalDate.parse(line.substring(WEIGHT)));
        }

        @Override
        public String write(Loaded parcel) {
            String weight = parcel.weightG == null ? "" : parcel.weightG.toString();
            return String.format(
                    Locale.ROOT, "%10d%-8s%6s%s", parcel.parcelId, parcel.postcode, weight, parcel.postedOn);
        }
    }

    /** The least and the greatest of some weights. */
    public record Span(int least, int most) {}

    /** How far weights lie apart. */
    public static final class SpanOf implements Aggregator<Integer, Span, Integer> {
        @Override
        public Span start() {
            return new Span(Integer.MAX_VALUE, Integer.MIN_VALUE);
        }

        @Override
        public Span add(Span span, Integer weight) {
            return new Span(Math.min(span.least, weight), Math.max(span.most, weight));
        }

        @Override
        public Span merge(Span a, Span b) {
            return new Span(Math.min(a.least, b.least), Math.max(a.most, b.most));
        }

        @Override
        public Integer result(Span span) {
            return span.most - span.least;
        }
    }

    public static Run run(Engine engine, Path data, Path out) {
        String lists = out.resolve("loading_lists").toString();
        engine.defineFormat(new LoadingList())
                .defineAggregate("span_of", Integer.class, Span.class, Integer.class, new SpanOf());
        engine.read(data.resolve("parcels").toString())
                .where("service = 'express'")
                .select("parcel_id, postcode, weight_g, posted_on")
                .write(lists, as -> as.format("loading-list").replacing());
        return engine.read(lists)
                .groupBy("posted_on")
                .summarise("count(*) as parcels", "sum(weight_g) as weight_g", "span_of(weight_g) as apart_g")
                .write(
                        out.resolve("loaded_per_day").toString(),
                        as -> as.parquet().replacing());
    }

    public static void main(String[] args) {
        try (Engine engine = Engine.open(Settings.defaults().withEnvironment(System.getenv()))) {
            Path data = Path.of(args.length > 0 ? args[0] : "demo");
            System.out.println(run(engine, data, Path.of(args.length > 1 ? args[1] : "out"))
                    .summary());
        }
    }
}
