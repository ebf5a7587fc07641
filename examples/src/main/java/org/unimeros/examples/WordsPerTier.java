package org.unimeros.examples;

import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import org.unimeros.Engine;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.code.Lookup;

/**
 * Which words do couriers use in their notes, for shippers of each tier? Map-reduce over lines of text with a lookup, a combiner, and a
 * partitioner of its own, so that each tier has its reducer and its file; what is none of them has the fourth.
 */
public final class WordsPerTier {

    private static final List<String> TIERS = List.of("gold", "silver", "basic");

    private WordsPerTier() {}

    /** A word that couriers wrote for shippers of a tier. */
    public record TierWord(String tier, String word) {}

    /** A line of the result. */
    public record Used(String tier, String word, long times) {}

    public static Run run(Engine engine, Path data, Path out) {
        Lookup<String, String> tiers = engine.lookup(
                engine.read(data.resolve("shippers.csv").toString()).select("cast(shipper_id as text) as id, tier"),
                String.class,
                String.class);
        return engine.read(data.resolve("notes").toString())
                .as(String.class)
                .mapReduce(TierWord.class, Long.class, (note, words) -> {
                    String[] parts = note.split("[ :,]+");
                    String tier = tiers.getOrDefault(parts[1], "unknown");
                    for (int i = 4; i < parts.length; i++) {
                        words.add(new TierWord(tier, parts[i].toLowerCase(Locale.ROOT)), 1L);
                    }
                })
                .combine((word, counts, sums) -> sums.add(sum(counts)))
                .reducers(TIERS.size() + 1)
                .partitionBy((word, count, reducers) ->
                        TIERS.contains(word.tier()) ? TIERS.indexOf(word.tier()) : TIERS.size())
                .reduce(Used.class, (word, counts, lines) -> lines.add(new Used(word.tier(), word.word(), sum(counts))))
                .write(out.resolve("words_per_tier").toString(), as -> as.csv().replacing());
    }

    private static long sum(Iterable<Long> counts) {
        long sum = 0;
        for (long count : counts) {
            sum += count;
        }
        return sum;
    }

    public static void main(String[] args) {
        try (Engine engine = Engine.open(Settings.defaults().withEnvironment(System.getenv()))) {
            Path data = Path.of(args.length > 0 ? args[0] : "demo");
            System.out.println(run(engine, data, Path.of(args.length > 1 ? args[1] : "out"))
                    .summary());
        }
    }
}
