package org.unimeros.storage.format.csv;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOption;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.Notation;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.Samples;
import org.unimeros.storage.format.TypeGuess;
import org.unimeros.storage.store.StorePath;

/** Reads and writes CSV. */
public final class CsvFormat implements Format {

    private static final int SAMPLE_FILES = 8;
    private static final int SAMPLE_RECORDS_PER_FILE = 1000;
    /** Headers of so many files are read to find columns that samples do not have. */
    private static final int MOST_HEADERS = 5_000;

    private static final int MOST_FIRST_LINE = 1 << 16;

    @Override
    public String name() {
        return "csv";
    }

    @Override
    public String ending() {
        return ".csv";
    }

    @Override
    public boolean canBeCut(DataFile file) {
        return !file.isOnePiece();
    }

    @Override
    public boolean keepsColumns(FormatOptions options) {
        return options.header();
    }

    @Override
    public boolean hasBadRecords() {
        return true;
    }

    @Override
    public Set<FormatOption> readOptions() {
        return EnumSet.complementOf(EnumSet.of(FormatOption.COMPRESSION));
    }

    @Override
    public Set<FormatOption> writeOptions() {
        return readOptions();
    }

    @Override
    public Inferred infer(List<DataFile> files, FormatOptions options) {
        Map<String, TypeGuess> guesses = new LinkedHashMap<>();
        List<DataFile> samples = Samples.choose(files, SAMPLE_FILES);
        for (DataFile file : samples) {
            guess(file, header(file, options), options, guesses);
        }
        // A column can be in one file of many, which no sample need have.
        Set<DataFile> seen = new HashSet<>(samples);
        List<DataFile> others = files.stream()
                .filter(f -> f.bytes() > 0 && !seen.contains(f))
                .limit(MOST_HEADERS)
                .toList();
        for (DataFile file : options.header() ? others : List.<DataFile>of()) {
            List<String> header = header(file, options);
            if (!guesses.keySet().containsAll(header)) {
                guess(file, header, options, guesses);
            }
        }
        List<ColumnSpec> columns = new ArrayList<>();
        guesses.forEach((name, guess) -> columns.add(ColumnSpec.guessed(name, guess.type())));
        List<String> warnings = new ArrayList<>();
        guesses.forEach((name, guess) -> guess.remark(name).ifPresent(warnings::add));
        return new Inferred(columns, warnings);
    }

    private static void guess(
            DataFile file, List<String> header, FormatOptions options, Map<String, TypeGuess> guesses) {
        requireNames(file, header, options);
        List<ColumnSpec> texts =
                header.stream().map(name -> ColumnSpec.of(name, DataType.TEXT)).toList();
        texts.forEach(column -> guesses.computeIfAbsent(column.name(), n -> new TypeGuess()));
        Batch sample = sample(file, texts, options);
        Notation notation = options.notation();
        for (int c = 0; c < texts.size(); c++) {
            TextColumn column = (TextColumn) sample.column(c);
            TypeGuess guess = guesses.get(texts.get(c).name());
            for (int i = 0; i < sample.rowCount(); i++) {
                boolean isEmpty = column.isNull(i) || column.start(i) == column.end(i);
                guess.addText(isEmpty ? null : notation.guessed(column.text(i)));
            }
        }
    }

    /** The delimiter of the first line that has one, unless it is said; of lines with commas it is the comma. */
    @Override
    public FormatOptions found(List<DataFile> files, FormatOptions options) {
        FormatOptions encoded = Samples.encoding(files, options);
        if (options.says(FormatOption.DELIMITER)) {
            return encoded;
        }
        return files.stream()
                .filter(f -> f.bytes() > 0)
                .findFirst()
                .map(file -> firstLine(file.in(encoded.encoding()), encoded))
                .map(line -> encoded.found(FormatOption.DELIMITER, String.valueOf(delimiter(line, encoded))))
                .orElse(encoded);
    }

    private static char delimiter(String line, FormatOptions options) {
        String quote = Pattern.quote(String.valueOf(options.quote()));
        String unquoted = line.replaceAll(quote + "[^" + quote + "]*" + quote, "");
        char best = ',';
        long most = unquoted.chars().filter(c -> c == ',').count();
        for (char candidate : new char[] {'\t', ';', '|'}) {
            long found = unquoted.chars().filter(c -> c == candidate).count();
            boolean isFree = candidate != options.quote()
                    && options.comment().filter(c -> c == candidate).isEmpty();
            if (isFree && (found > 0 && most == 0 || candidate == '\t' && found > most)) {
                best = candidate;
                most = found;
            }
        }
        return best;
    }

    private static String firstLine(DataFile file, FormatOptions options) {
        String comment = options.comment().map(String::valueOf).orElse("\n");
        try (InputStream in = Io.open(file, 0)) {
            String start = new String(in.readNBytes(MOST_FIRST_LINE), StandardCharsets.UTF_8);
            return start.lines()
                    .filter(line -> !line.isBlank() && !line.startsWith(comment))
                    .findFirst()
                    .orElse("");
        } catch (IOException e) {
            throw Io.failure("read", file.path(), e);
        }
    }

    @Override
    public Optional<List<String>> columnNames(DataFile file, FormatOptions options) {
        return Optional.of(header(file, options));
    }

    /**
     * A first line of the same kind as the second one is no header: taken as one, its row would be lost. Whoever has such names says that there is
     * a header.
     */
    private static void requireNames(DataFile file, List<String> header, FormatOptions options) {
        if (!options.header() || options.says(FormatOption.HEADER)) {
            return;
        }
        List<String> second;
        try (CsvParser parser = new CsvParser(Piece.whole(file), options, 0)) {
            parser.record();
            second = parser.record();
        }
        boolean anyTyped = false;
        for (int i = 0; i < header.size(); i++) {
            // Columns are called after years, too.
            boolean isYear = header.get(i).strip().matches("(19|20)[0-9]{2}");
            DataType type = isYear ? DataType.TEXT : kind(header.get(i), options);
            if (second.size() != header.size() || type != kind(second.get(i), options)) {
                return;
            }
            anyTyped |= type != DataType.TEXT;
        }
        if (anyTyped) {
            throw new BadData(file + ": the first line looks like data and not like names (" + String.join(", ", header)
                    + "); set the option header to false, or to true if these are the names of the columns");
        }
    }

    private static DataType kind(String text, FormatOptions options) {
        TypeGuess guess = new TypeGuess();
        boolean isNull = text.isBlank() || options.nullTexts().contains(text);
        guess.addText(isNull ? null : options.notation().guessed(text.strip()));
        boolean isNumber = guess.type() == DataType.INT
                || guess.type() == DataType.LONG
                || guess.type() instanceof DataType.Decimal;
        return isNumber ? DataType.DOUBLE : guess.type();
    }

    private static List<String> unique(DataFile file, List<String> names) {
        Set<String> seen = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
        List<String> all = new ArrayList<>();
        for (int i = 0; i < names.size(); i++) {
            if (names.get(i).indexOf('\0') >= 0) {
                throw new BadData(file + ":1: the first line has bytes of zero; is it a text file?");
            }
            String name = names.get(i).isBlank() ? "column_" + (i + 1) : names.get(i);
            if (!seen.add(name.strip())) {
                throw new BadData(file + ":1: two columns are called " + name.strip()
                        + ", of which one would be lost; rename one, or set the option header to false and declare the"
                        + " columns as column_1, column_2 and so on");
            }
            all.add(name);
        }
        return all;
    }

    private static Batch sample(DataFile file, List<ColumnSpec> columns, FormatOptions options) {
        ReadContext lenient = new ReadContext() {
            @Override
            public void badRecord(BadRecord record, String advice) {
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
        try (CsvParser parser = new CsvParser(Piece.whole(file), options, 0)) {
            List<String> first = parser.record();
            return options.header()
                    ? unique(file, first)
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
    public FileWriter write(StorePath path, Schema schema, FormatOptions options) {
        return new CsvFileWriter(path, schema, options);
    }
}
