package org.unimeros.storage.format.json;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonFactoryBuilder;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.LineReader;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Samples;
import org.unimeros.storage.format.TypeGuess;

/** Reads and writes JSON Lines. */
public final class JsonLinesFormat implements Format {

    static final JsonFactory JSON = new JsonFactoryBuilder().build();

    private static final int SAMPLE_FILES = 24;
    private static final int SAMPLE_LINES_PER_FILE = 500;

    @Override
    public String name() {
        return "json";
    }

    @Override
    public String ending() {
        return ".jsonl";
    }

    @Override
    public boolean isSplittable(DataFile file) {
        return !file.isGzip();
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        Map<String, TypeGuess> guesses = new LinkedHashMap<>();
        for (DataFile file : Samples.choose(files, SAMPLE_FILES)) {
            try (LineReader lines = new LineReader(Piece.whole(file))) {
                for (int n = 0; n < SAMPLE_LINES_PER_FILE && lines.next(); n++) {
                    sample(lines, guesses);
                }
            }
        }
        List<ColumnSpec> columns = new ArrayList<>();
        guesses.forEach((name, guess) -> {
            boolean isParent = guesses.keySet().stream().anyMatch(other -> other.startsWith(name + "."));
            if (!isParent) {
                columns.add(ColumnSpec.of(name, guess.type()));
            }
        });
        List<String> warnings = new ArrayList<>();
        guesses.forEach((name, guess) -> guess.remark(name).ifPresent(warnings::add));
        return new Inferred(columns, warnings);
    }

    /** A line that cannot be read says nothing here; reading will report it. */
    private static void sample(LineReader lines, Map<String, TypeGuess> guesses) {
        Map<String, TypeGuess> found = new LinkedHashMap<>();
        try (JsonParser parser = JSON.createParser(lines.buffer(), lines.lineStart(), lines.lineLength())) {
            if (parser.nextToken() == JsonToken.START_OBJECT) {
                sampleObject(parser, "", found);
            }
        } catch (JsonProcessingException e) {
            return;
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
        found.forEach((name, guess) -> {
            TypeGuess known = guesses.computeIfAbsent(name, n -> new TypeGuess());
            if (guess.isKnown()) {
                known.add(guess.type());
            }
        });
    }

    private static void sampleObject(JsonParser parser, String prefix, Map<String, TypeGuess> found)
            throws IOException {
        for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
            String name = prefix + field;
            JsonToken token = parser.nextToken();
            TypeGuess guess = found.computeIfAbsent(name, n -> new TypeGuess());
            switch (token) {
                case START_OBJECT -> sampleObject(parser, name + ".", found);
                case START_ARRAY -> {
                    guess.add(DataType.TEXT);
                    parser.skipChildren();
                }
                case VALUE_TRUE, VALUE_FALSE -> guess.add(DataType.BOOLEAN);
                case VALUE_NUMBER_FLOAT -> guess.add(DataType.DOUBLE);
                case VALUE_NUMBER_INT -> guess.add(wholeNumber(parser));
                case VALUE_NULL -> {
                    // says nothing about the type
                }
                default -> guess.add(textOrTime(parser.getText()));
            }
        }
    }

    private static DataType wholeNumber(JsonParser parser) throws IOException {
        return switch (parser.getNumberType()) {
            case INT -> DataType.INT;
            case LONG -> DataType.LONG;
            default -> DataType.DOUBLE;
        };
    }

    /** Text stays text even when it looks like a number; only dates and timestamps have no form of their own in JSON. */
    private static DataType textOrTime(String value) {
        TypeGuess guess = new TypeGuess();
        guess.addText(value);
        DataType type = guess.type();
        return type == DataType.DATE || type == DataType.TIMESTAMP ? type : DataType.TEXT;
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        return new JsonLinesReader(new LineReader(piece), columns, context);
    }

    @Override
    public FileWriter write(Path path, Schema schema, FormatOptions options) {
        return new JsonLinesWriter(path, schema);
    }
}
