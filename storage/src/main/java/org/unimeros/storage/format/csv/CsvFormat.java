package org.unimeros.storage.format.csv;

import de.siegmar.fastcsv.reader.CsvParseException;
import de.siegmar.fastcsv.reader.CsvReader;
import de.siegmar.fastcsv.reader.CsvRecord;
import de.siegmar.fastcsv.reader.FieldMismatchStrategy;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Schema;
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
            List<CsvRecord> records = head(file, options, SAMPLE_RECORDS_PER_FILE + 1);
            List<String> names = names(records, options);
            names.forEach(name -> guesses.computeIfAbsent(name, n -> new TypeGuess()));
            for (CsvRecord record : records.subList(options.header() ? 1 : 0, records.size())) {
                for (int i = 0; i < Math.min(names.size(), record.getFieldCount()); i++) {
                    String value = record.getField(i);
                    boolean isNull = value.isEmpty() || value.equals(options.nullText());
                    guesses.get(names.get(i)).addText(isNull ? null : value);
                }
            }
        }
        List<ColumnSpec> columns = new ArrayList<>();
        guesses.forEach((name, guess) -> columns.add(ColumnSpec.of(name, guess.type())));
        List<String> warnings = new ArrayList<>();
        guesses.forEach((name, guess) -> guess.remark(name).ifPresent(warnings::add));
        return new Inferred(columns, warnings);
    }

    private static List<String> names(List<CsvRecord> records, FormatOptions options) {
        if (options.header()) {
            return records.get(0).getFields();
        }
        List<String> names = new ArrayList<>();
        for (int i = 1; i <= records.get(0).getFieldCount(); i++) {
            names.add("column_" + i);
        }
        return names;
    }

    /** The names of the columns of a file, in order. */
    static List<String> header(DataFile file, FormatOptions options) {
        List<CsvRecord> first = head(file, options, 1);
        return first.isEmpty() ? List.of() : names(first, options);
    }

    private static List<CsvRecord> head(DataFile file, FormatOptions options, int most) {
        List<CsvRecord> records = new ArrayList<>();
        try (CsvReader<CsvRecord> reader = CsvReader.builder()
                .fieldSeparator(options.delimiter())
                .skipEmptyLines(true)
                .extraFieldStrategy(FieldMismatchStrategy.IGNORE)
                .missingFieldStrategy(FieldMismatchStrategy.IGNORE)
                .ofCsvRecord(CsvRange.reader(file, 0, Long.MAX_VALUE))) {
            for (CsvRecord record : reader) {
                records.add(record);
                if (records.size() == most) {
                    break;
                }
            }
        } catch (CsvParseException e) {
            throw new BadData(file + ": " + e.getMessage() + "; mend the file, or set its delimiter", e);
        } catch (UncheckedIOException e) {
            throw CsvRange.unreadable(file, e.getCause());
        } catch (IOException e) {
            throw CsvRange.unreadable(file, e);
        }
        return records;
    }

    @Override
    public BatchReader read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        return new CsvPieceReader(piece, columns, options, context);
    }

    @Override
    public FileWriter write(Path path, Schema schema, FormatOptions options) {
        return new CsvFileWriter(path, schema, options);
    }
}
