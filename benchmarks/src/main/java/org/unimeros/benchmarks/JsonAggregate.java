package org.unimeros.benchmarks;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;

/**
 * {@link Scans} as JSON Lines. The hand-written program uses the same library to parse, a piece of many lines at a time, asks it only for the values
 * that are needed, makes no object of one, and keeps its figures in arrays.
 */
final class JsonAggregate extends Entry {

    private static final int CHUNK = 1 << 20;

    private final Path file;
    private final long rows;

    JsonAggregate(Path folder, long rows) {
        super(
                "json-aggregate",
                String.format("%,d rows of JSON Lines, eight aggregates by depot and kind since a day", rows),
                rows,
                folder.resolve("scans-" + rows + ".jsonl"));
        this.file = folder.resolve("scans-" + rows + ".jsonl");
        this.rows = rows;
    }

    @Override
    void prepare() throws Exception {
        make(file, part -> Scans.write(part, "", rows, JsonAggregate::write));
    }

    private static void write(StringBuilder line, Scans.Scan scan) {
        line.append("{\"scan_id\":").append(scan.id());
        line.append(",\"depot\":\"").append(scan.depot());
        line.append("\",\"kind\":\"").append(scan.kind());
        line.append("\",\"at\":\"").append(scan.at());
        line.append("\",\"day\":\"").append(scan.day());
        line.append("\",\"weight_g\":").append(scan.weight());
        line.append(",\"fee\":").append(scan.amount());
        line.append(",\"share\":0.").append(scan.share()).append('}');
    }

    @Override
    Object ours(int slots) {
        return Scans.summarise(file, slots);
    }

    @Override
    Object handWritten(int threads) throws Exception {
        try (FileChannel channel = FileChannel.open(file, StandardOpenOption.READ)) {
            JsonFactory json = new JsonFactory();
            long bytes = channel.size();
            List<Scans.Figures> parts = Threads.each(
                    threads,
                    t -> read(
                            json,
                            channel,
                            lineStart(channel, bytes * t / threads),
                            lineStart(channel, bytes * (t + 1) / threads)));
            return Scans.Figures.result(parts);
        }
    }

    /** Where the first line begins that begins there or later. */
    private static long lineStart(FileChannel channel, long at) throws IOException {
        if (at == 0 || at == channel.size()) {
            return at;
        }
        ByteBuffer some = ByteBuffer.allocate(1000);
        channel.read(some, at - 1);
        int end = 0;
        while (some.get(end) != '\n') {
            end++;
        }
        return at + end;
    }

    private static Scans.Figures read(JsonFactory json, FileChannel channel, long from, long end) throws IOException {
        Scans.Figures figures = new Scans.Figures();
        ByteBuffer chunk = ByteBuffer.allocate(CHUNK);
        for (long at = from; at < end; ) {
            chunk.clear().limit((int) Math.min(CHUNK, end - at));
            while (chunk.hasRemaining()) {
                channel.read(chunk, at + chunk.position());
            }
            int length = chunk.limit();
            while (chunk.get(length - 1) != '\n') {
                length--;
            }
            try (JsonParser parser = json.createParser(chunk.array(), 0, length)) {
                read(parser, figures);
            }
            at += length;
        }
        return figures;
    }

    private static void read(JsonParser parser, Scans.Figures figures) throws IOException {
        while (parser.nextToken() == JsonToken.START_OBJECT) {
            long id = 0;
            char tens = 0;
            char ones = 0;
            char letter = 0;
            boolean isSince = false;
            long weight = 0;
            long fee = 0;
            for (String name = parser.nextFieldName(); name != null; name = parser.nextFieldName()) {
                parser.nextToken();
                switch (name) {
                    case "scan_id" -> id = parser.getLongValue();
                    case "depot" -> {
                        char[] text = parser.getTextCharacters();
                        tens = text[parser.getTextOffset() + 1];
                        ones = text[parser.getTextOffset() + 2];
                    }
                    case "kind" -> letter = parser.getTextCharacters()[parser.getTextOffset()];
                    case "day" -> isSince = isSince(parser.getTextCharacters(), parser.getTextOffset());
                    case "weight_g" -> weight = parser.getLongValue();
                    case "fee" ->
                        fee = cents(parser.getTextCharacters(), parser.getTextOffset(), parser.getTextLength());
                    default -> {
                        // Not asked for.
                    }
                }
            }
            if (isSince) {
                figures.add(Scans.Figures.place(tens, ones, letter), id, weight, fee);
            }
        }
    }

    private static boolean isSince(char[] text, int at) {
        int month = (text[at + 5] - '0') * 10 + text[at + 6] - '0';
        int day = (text[at + 8] - '0') * 10 + text[at + 9] - '0';
        return Scans.isSince(month, day);
    }

    private static long cents(char[] text, int at, int length) {
        long cents = 0;
        for (int i = at; i < at + length; i++) {
            cents = text[i] == '.' ? cents : cents * 10 + text[i] - '0';
        }
        return cents;
    }
}
