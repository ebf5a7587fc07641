package org.unimeros.storage.format.csv;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Samples;
import org.unimeros.storage.format.TypeGuess;

/** Reads and writes CSV. */
public final class CsvFormat implements Format {

    private static final int SAMPLE_FILES = 8;
    private static final int SAMPLE_RECORDS_PER_FILE = 1000;

    @Override
    public String name() {
        return "csv";
    }

    @Override
    public String ending() {
        return ".csv";
    }

    @Override
    public boolean isSplittable(DataFile file) {
        return !file.isGzip();
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        Map<String, TypeGuess> guesses = new LinkedHashMap<>();
        for (DataFile file : Samples.choose(files, SAMPLE_FILES)) {
            List<ColumnSpec> texts = header(file, options).stream()
                    .map(name -> ColumnSpec.of(name, DataType.TEXT))
                    .toList();
            texts.forEach(column -> guesses.computeIfAbsent(column.name(), n -> new TypeGuess()));
            Batch sample = sample(file, texts, options);
            for (int c = 0; c < texts.size(); c++) {
                TextColumn column = (TextColumn) sample.column(c);
                TypeGuess guess = guesses.get(texts.get(c).name());
                for (int i = 0; i < sample.rowCount(); i++) {
                    boolean isEmpty = column.isNull(i) || column.start(i) == column.end(i);
                    guess.addText(isEmpty ? null : column.text(i));
                }
            }
        }
        List<ColumnSpec> columns = new ArrayList<>();
        guesses.forEach((name, guess) -> columns.add(ColumnSpec.of(name, guess.type())));
        List<String> warnings = new ArrayList<>();
        guesses.forEach((name, guess) -> guess.remark(name).ifPresent(warnings::add));
        return new Inferred(columns, warnings);
    }

    private static Batch sample(DataFile file, List<ColumnSpec> columns, FormatOptions options) {
        ReadContext lenient = new ReadContext() {
            @Override
            public void badRecord(BadData problem, byte[] raw) {
                // whoever reads the file tells of it
            }

            @Override
            public void warn(String message) {
                // nobody is listening yet
            }
        };
        try (CsvPieceReader reader =
                new CsvPieceReader(Piece.whole(file), columns, options, lenient, SAMPLE_RECORDS_PER_FILE)) {
            Batch sample = reader.next();
            return sample == null
                    ? new BatchBuilder(columns.stream().map(ColumnSpec::type).toList()).build()
                    : sample;
        }
    }

    /** The names of the columns of a file, in order. */
    static List<String> header(DataFile file, FormatOptions options) {
        try (CsvParser parser = new CsvParser(Piece.whole(file), options)) {
            List<String> first = parser.record();
            return options.header()
                    ? first
                    : IntStream.rangeClosed(1, first.size())
                            .mapToObj(i -> "column_" + i)
                            .toList();
        }
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        return new CsvPieceReader(piece, columns, options, context, Batch.TARGET_ROWS);
    }

    @Override
    public FileWriter write(Path path, Schema schema, FormatOptions options) {
        return new CsvFileWriter(path, schema, options);
    }
}
