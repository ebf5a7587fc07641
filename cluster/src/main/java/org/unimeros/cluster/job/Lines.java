package org.unimeros.cluster.job;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.Reader;
import java.nio.charset.StandardCharsets;
import java.util.function.Consumer;

/** The lines of a stream of text, in UTF-8; one that is very long comes in pieces. */
final class Lines {

    private static final int MOST_CHARACTERS = 16 << 10;

    private Lines() {}

    static void each(InputStream stream, Consumer<String> line) throws IOException {
        StringBuilder text = new StringBuilder();
        try (Reader in = new BufferedReader(new InputStreamReader(stream, StandardCharsets.UTF_8))) {
            for (int c = in.read(); c >= 0; c = in.read()) {
                boolean isEnd = c == '\n';
                if (!isEnd) {
                    text.append((char) c);
                }
                if (isEnd || text.length() == MOST_CHARACTERS) {
                    line.accept(text.toString());
                    text.setLength(0);
                }
            }
        }
        if (!text.isEmpty()) {
            line.accept(text.toString());
        }
    }
}
