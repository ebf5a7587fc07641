package org.unimeros.storage.dataset;

import java.util.List;
import java.util.Locale;
import java.util.Optional;
import org.unimeros.engine.error.Near;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.csv.CsvFormat;
import org.unimeros.storage.format.json.JsonLinesFormat;
import org.unimeros.storage.format.parquet.ParquetFormat;
import org.unimeros.storage.format.text.TextFormat;

/** The formats there are, by name and by file ending. */
public final class Formats {

    private final List<Format> all =
            List.of(new ParquetFormat(), new CsvFormat(), new JsonLinesFormat(), new TextFormat());

    public Formats() {
        // formats may keep what they read of files, so each engine has its own
    }

    public List<String> names() {
        return all.stream().map(Format::name).toList();
    }

    public Format byName(String name) {
        return all.stream()
                .filter(f -> f.name().equalsIgnoreCase(name))
                .findFirst()
                .orElseThrow(() -> new UserMistake("unknown format " + name + Near.hint(name, names())));
    }

    /** The format that a file's ending stands for. */
    public Optional<Format> byEnding(DataFile file) {
        String name =
                file.path().getFileName().toString().toLowerCase(Locale.ROOT).replaceAll("\\.gz$", "");
        String ending = name.substring(name.lastIndexOf('.') + 1);
        return switch (ending) {
            case "parquet" -> Optional.of(byName("parquet"));
            case "csv", "tsv" -> Optional.of(byName("csv"));
            case "jsonl", "ndjson", "json" -> Optional.of(byName("json"));
            case "txt", "text", "log" -> Optional.of(byName("text"));
            default -> Optional.empty();
        };
    }
}
