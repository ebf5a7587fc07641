package org.unimeros.benchmarks;

import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;

/**
 * {@link Scans} as CSV. The hand-written program maps the file, reads only the fields that are asked for, and keeps its figures in arrays by the
 * digits of the depot and the first letter of the kind.
 */
final class CsvAggregate extends Entry {

    private static final String HEADER = "scan_id,depot,kind,at,day,weight_g,fee,share\n";

    private final Path file;
    private final long rows;

    CsvAggregate(Path folder, long rows) {
        super(
                "csv-aggregate",
                String.format("%,d rows of CSV, eight aggregates by depot and kind since a day", rows),
                rows,
                folder.resolve("scans-" + rows + ".csv"));
        this.file = folder.resolve("scans-" + rows + ".csv");
        this.rows = rows;
    }

    @Override
    void prepare() throws Exception {
        make(file, part -> Scans.write(part, HEADER, rows, CsvAggregate::write));
    }

    private static void write(StringBuilder line, Scans.Scan scan) {
        line.append(scan.id()).append(',').append(scan.depot()).append(',').append(scan.kind());
        line.append(',').append(scan.at()).append(',').append(scan.day());
        line.append(',').append(scan.weight()).append(',').append(scan.amount());
        line.append(",0.").append(scan.share());
    }

    @Override
    Object ours(int slots) {
        return Scans.summarise(file, slots);
    }

    @Override
    Object handWritten(int threads) throws Exception {
        try (FileChannel channel = FileChannel.open(file, StandardOpenOption.READ)) {
            ByteBuffer text = channel.map(FileChannel.MapMode.READ_ONLY, 0, channel.size());
            int header = lineEnd(text, 0) + 1;
            int share = (text.capacity() - header) / threads;
            List<Scans.Figures> parts = Threads.each(threads, t -> {
                int from = t == 0 ? header : lineEnd(text, header + share * t) + 1;
                int end = t == threads - 1 ? text.capacity() : lineEnd(text, header + share * (t + 1)) + 1;
                return read(text, from, end);
            });
            return Scans.Figures.result(parts);
        }
    }

    private static int lineEnd(ByteBuffer text, int at) {
        int end = at;
        while (text.get(end) != '\n') {
            end++;
        }
        return end;
    }

    private static int fieldEnd(ByteBuffer text, int at) {
        int end = at;
        while (text.get(end) != ',') {
            end++;
        }
        return end;
    }

    /** Lines are {@code 17,D23,load,2031-03-04T08:15:30,2031-03-04,1234,12.50,0.5}. */
    private static Scans.Figures read(ByteBuffer text, int from, int end) {
        Scans.Figures figures = new Scans.Figures();
        int at = from;
        while (at < end) {
            long id = 0;
            byte b = text.get(at++);
            while (b != ',') {
                id = id * 10 + b - '0';
                b = text.get(at++);
            }
            int place = Scans.Figures.place(text.get(at + 1), text.get(at + 2), text.get(at + 4));
            at = fieldEnd(text, at + 5) + 1 + "2031-03-04T08:15:30,".length();
            int month = (text.get(at + 5) - '0') * 10 + text.get(at + 6) - '0';
            int day = (text.get(at + 8) - '0') * 10 + text.get(at + 9) - '0';
            at += 11;
            if (Scans.isSince(month, day)) {
                long weight = 0;
                b = text.get(at++);
                while (b != ',') {
                    weight = weight * 10 + b - '0';
                    b = text.get(at++);
                }
                long fee = 0;
                b = text.get(at++);
                while (b != ',') {
                    fee = b == '.' ? fee : fee * 10 + b - '0';
                    b = text.get(at++);
                }
                figures.add(place, id, weight, fee);
            }
            at = lineEnd(text, at) + 1;
        }
        return figures;
    }
}
