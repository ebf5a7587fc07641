package org.unimeros.storage.dataset;

import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.Supplier;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.csv.CsvFormat;
import org.unimeros.storage.format.json.JsonLinesFormat;
import org.unimeros.storage.format.parquet.ParquetFormat;
import org.unimeros.storage.format.text.TextFormat;

/** The formats there are, by name and by file ending. */
public final class Formats {

    private final List<Format> all = new CopyOnWriteArrayList<>(
            List.of(new ParquetFormat(), new CsvFormat(), new JsonLinesFormat(), new TextFormat()));

    private final Supplier<List<Format>> more;
    private boolean complete;

    /** Those of this product. */
    public Formats() {
        this(List::of);
    }

    /** @param more gives formats of the job, looked for when a name or an ending is not known */
    public Formats(Supplier<List<Format>> more) {
        // formats may keep what they read of files, so each engine has its own
        this.more = more;
    }

    /**
     * Adds a format of the job.
     *
     * @throws UserMistake when there is one of the name
     */
    public synchronized void add(Format format) {
        if (!format.name().matches("[a-z][a-z0-9_-]*")) {
            throw new UserMistake("a format cannot be called " + format.name()
                    + "; a name is small letters, digits, dashes and underscores, a letter first");
        }
        if (find(format.name()).isPresent()) {
            throw new UserMistake("there is a format " + format.name() + " already");
        }
        all.add(format);
    }

    private synchronized void complete() {
        if (!complete) {
            complete = true;
            more.get().stream().filter(f -> find(f.name()).isEmpty()).forEach(this::add);
        }
    }

    public List<String> names() {
        return all.stream().map(Format::name).toList();
    }

    private Optional<Format> find(String name) {
        return all.stream().filter(f -> f.name().equalsIgnoreCase(name)).findFirst();
    }

    public Format byName(String name) {
        if (find(name).isEmpty()) {
            complete();
        }
        return find(name)
                .orElseThrow(() -> new UserMistake("unknown format " + name + NameSuggestions.hint(name, names())));
    }

    /** The format that a file's ending stands for. */
    public Optional<Format> byEnding(DataFile file) {
        String name = file.path().name().toLowerCase(Locale.ROOT);
        String plain = name.endsWith(".gz") ? name.substring(0, name.length() - ".gz".length()) : name;
        String ending = plain.substring(plain.lastIndexOf('.') + 1);
        return switch (ending) {
            case "parquet" -> Optional.of(byName("parquet"));
            case "csv", "tsv" -> Optional.of(byName("csv"));
            case "jsonl", "ndjson", "json" -> Optional.of(byName("json"));
            case "txt", "text", "log" -> Optional.of(byName("text"));
            default -> {
                complete();
                yield all.stream().filter(f -> f.ending().equals("." + ending)).findFirst();
            }
        };
    }
}
