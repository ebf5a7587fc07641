package org.unimeros.benchmarks;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonToken;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import org.unimeros.Engine;
import org.unimeros.Settings;

/**
 * Ten thousand files of three scans each as JSON Lines, weighed by depot. The hand-written program lists the folder and reads
 * one file after the other with the same JSON library.
 */
final class ManyFiles extends Entry {

    private static final int DEPOTS = 40;

    private final Path folder;
    private final Path home;
    private final int files;

    ManyFiles(Path home, int files) {
        super(
                "many-small-files",
                String.format("%,d JSON files of three scans each, sum by depot", files),
                3L * files,
                null);
        this.home = home;
        this.folder = home.resolve("small-files-" + files);
        this.files = files;
    }

    @Override
    void prepare() throws Exception {
        if (Files.exists(folder)) {
            return;
        }
        Path part = home.resolve("unfinished");
        Files.createDirectories(part);
        SplittableRandom random = new SplittableRandom(23);
        for (int f = 0; f < files; f++) {
            StringBuilder lines = new StringBuilder();
            for (int i = 0; i < 3; i++) {
                lines.append("{\"scan_id\": ").append(f * 3 + i).append(", \"depot\": \"D");
                lines.append(10 + random.nextInt(DEPOTS)).append("\", \"at\": \"2031-03-04T08:15:30\", \"kind\": ");
                lines.append("\"load\", \"weight_g\": ")
                        .append(random.nextInt(31_000))
                        .append("}\n");
            }
            Files.writeString(part.resolve(String.format("scans-%05d.json", f)), lines);
        }
        Files.move(part, folder);
    }

    @Override
    Object ours(int slots) {
        Settings settings =
                Settings.defaults().with("slots", String.valueOf(slots)).with("runs.folder", "");
        Map<String, Long> result = new TreeMap<>();
        try (Engine engine = Engine.local(settings)) {
            engine.sql("select depot, sum(weight_g) as grams from dataset('" + folder + "') group by depot")
                    .fetch()
                    .rows()
                    .forEach(r -> result.put(r.text("depot"), r.longValue("grams")));
        }
        return result;
    }

    @Override
    Object handWritten(int threads) throws Exception {
        List<Path> all;
        try (var listed = Files.list(folder)) {
            all = listed.sorted().toList();
        }
        JsonFactory json = new JsonFactory();
        List<Map<String, Long>> parts = Threads.each(threads, t -> {
            Map<String, Long> sums = new TreeMap<>();
            for (Path file : all.subList(Threads.from(files, t, threads), Threads.from(files, t + 1, threads))) {
                read(json, Files.readAllBytes(file), sums);
            }
            return sums;
        });
        Map<String, Long> result = new TreeMap<>();
        parts.forEach(part -> part.forEach((depot, grams) -> result.merge(depot, grams, Long::sum)));
        return result;
    }

    private static void read(JsonFactory json, byte[] text, Map<String, Long> sums) throws Exception {
        try (JsonParser parser = json.createParser(text)) {
            while (parser.nextToken() == JsonToken.START_OBJECT) {
                String depot = "";
                long grams = 0;
                for (String name = parser.nextFieldName(); name != null; name = parser.nextFieldName()) {
                    parser.nextToken();
                    if (name.equals("depot")) {
                        depot = parser.getText();
                    } else if (name.equals("weight_g")) {
                        grams = parser.getLongValue();
                    }
                }
                sums.merge(depot, grams, Long::sum);
            }
        }
    }
}
