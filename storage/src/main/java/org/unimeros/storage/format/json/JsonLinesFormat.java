package org.unimeros.storage.format.json;

import static java.nio.charset.StandardCharsets.UTF_8;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import com.fasterxml.jackson.core.io.JsonEOFException;
import java.io.IOException;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOption;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.LineReader;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Samples;
import org.unimeros.storage.store.StorePath;

/** Reads and writes JSON Lines. */
public final class JsonLinesFormat implements Format {

    static final JsonFactory JSON = JsonText.JSON;

    private static final int SAMPLE_FILES = 24;
    private static final int SAMPLE_LINES_PER_FILE = 500;
    private static final int BRIEF_FILES = 200;
    private static final int BRIEF_LINES = 5;

    @Override
    public String name() {
        return "json";
    }

    @Override
    public String ending() {
        return ".jsonl";
    }

    @Override
    public boolean canBeCut(DataFile file) {
        return !file.isOnePiece();
    }

    @Override
    public boolean hasBadRecords() {
        return true;
    }

    @Override
    public Set<FormatOption> readOptions() {
        return EnumSet.of(FormatOption.ENCODING, FormatOption.DATE_FORM, FormatOption.TIMESTAMP_FORM);
    }

    @Override
    public FormatOptions found(List<DataFile> files, FormatOptions options) {
        return Samples.encoding(files, options);
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        JsonGuess record = new JsonGuess(options.notation());
        Set<DataFile> seen = new HashSet<>();
        for (DataFile file : Samples.choose(files, SAMPLE_FILES)) {
            seen.add(file);
            sample(file, SAMPLE_LINES_PER_FILE, record);
        }
        // A field can be in one file of many; the beginnings of some more cost little.
        for (DataFile file : Samples.choose(files, BRIEF_FILES)) {
            if (seen.add(file)) {
                sample(file, BRIEF_LINES, record);
            }
        }
        refuseOtherForms(files, record.fields().isEmpty());
        if (record.fields().isEmpty()) {
            requireReadable(files, options);
        }
        List<ColumnSpec> columns = new ArrayList<>();
        List<String> warnings = new ArrayList<>();
        record.fields().forEach((name, guess) -> {
            columns.add(ColumnSpec.of(name, guess.type()));
            guess.remark(name, warnings::add);
        });
        return new Inferred(columns, warnings);
    }

    /** One array, and objects over several lines, are no lines of JSON. */
    private static void refuseOtherForms(List<DataFile> files, boolean hasNoFields) {
        Optional<DataFile> filled = files.stream().filter(f -> f.bytes() > 0).findFirst();
        if (filled.isPresent()) {
            refuseOtherForm(filled.get(), hasNoFields);
        }
    }

    /** Where no line could be read, what is wrong with the first one says why. */
    private void requireReadable(List<DataFile> files, FormatOptions options) {
        for (DataFile file : Samples.choose(files, SAMPLE_FILES)) {
            try (BatchReader reader = read(Piece.whole(file), List.of(), options, ReadContext.STRICT)) {
                reader.next();
            }
        }
    }

    private static void refuseOtherForm(DataFile file, boolean hasNoFields) {
        try (LineReader lines = new LineReader(Piece.whole(file))) {
            while (lines.next()) {
                String line = new String(lines.copyLine(), UTF_8).strip();
                if (line.isEmpty()) {
                    continue;
                }
                boolean isArray = line.startsWith("[");
                boolean isOpen = line.equals("{") || hasNoFields && line.startsWith("{") && isOpen(lines);
                if (isArray || isOpen) {
                    throw new BadData(lines.place() + ": this is "
                            + (isArray ? "one array" : "an object over several lines")
                            + ", but JSON is read as lines with an object each; write every object in a line of its own"
                            + (isArray ? ", without the brackets and commas around them" : ""));
                }
                return;
            }
        }
    }

    private static void sample(DataFile file, int most, JsonGuess record) {
        try (LineReader lines = new LineReader(Piece.whole(file))) {
            for (int n = 0; n < most && lines.next(); n++) {
                sample(lines, record);
            }
        }
    }

    /** A line that cannot be read says nothing here; reading will report it. */
    private static void sample(LineReader lines, JsonGuess record) {
        if (!isWhole(lines)) {
            return;
        }
        try (JsonParser parser = JSON.createParser(lines.buffer(), lines.lineStart(), lines.lineLength())) {
            if (parser.nextToken() == JsonToken.START_OBJECT) {
                record.addFields(parser);
            }
        } catch (JsonProcessingException e) {
            // reading tells what is wrong
            return;
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    /** Whether the line ends within a value. */
    private static boolean isOpen(LineReader lines) {
        try (JsonParser parser = JSON.createParser(lines.buffer(), lines.lineStart(), lines.lineLength())) {
            parser.nextToken();
            parser.skipChildren();
            return false;
        } catch (JsonEOFException e) {
            return true;
        } catch (JsonProcessingException e) {
            return false;
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    private static boolean isWhole(LineReader lines) {
        try (JsonParser parser = JSON.createParser(lines.buffer(), lines.lineStart(), lines.lineLength())) {
            parser.nextToken();
            parser.skipChildren();
            return parser.nextToken() == null;
        } catch (JsonProcessingException e) {
            return false;
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        return opener(columns, options, context).open(piece);
    }

    @Override
    public PieceOpener opener(List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        JsonRecords records = new JsonRecords(columns, context.keepsBadRecords(), options.notation());
        return piece -> new JsonLinesReader(new LineReader(piece), records, context);
    }

    @Override
    public PieceOpener opener(
            List<ColumnSpec> columns, Set<String> sampled, FormatOptions options, ReadContext context) {
        JsonRecords records = new JsonRecords(columns, context.keepsBadRecords(), options.notation());
        return piece -> {
            records.tellOthers(
                    sampled,
                    field -> context.warn(
                            "field " + field + " is in some records and not among the columns, which were found"
                                    + " in samples of the files, so that it is left out; declare it to have it; first in "
                                    + piece.file()));
            return new JsonLinesReader(new LineReader(piece), records, context);
        };
    }

    @Override
    public FileWriter write(StorePath path, Schema schema, FormatOptions options) {
        return new JsonLinesWriter(path, schema);
    }
}
