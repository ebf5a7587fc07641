package org.unimeros.storage.format;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/** Chooses files to look at: the first, the last and some between. */
public final class Samples {

    private Samples() {}

    /** The options with the encoding that the first bytes of files show, where nobody has said one. */
    public static FormatOptions encoding(List<DataFile> files, FormatOptions options) {
        Optional<DataFile> first = files.stream().filter(f -> f.bytes() > 0).findFirst();
        if (first.isEmpty() || options.says(FormatOption.ENCODING)) {
            return options;
        }
        try (InputStream in = Io.open(first.get(), 0)) {
            byte[] start = in.readNBytes(4);
            String encoding = start.length < 4 ? "" : encoding(start[0], start[1], start[2], start[3]);
            return encoding.isEmpty() ? options : options.found(FormatOption.ENCODING, encoding);
        } catch (IOException e) {
            throw Io.failure("read", first.get().path(), e);
        }
    }

    /** Text of 16 bits a character begins with a mark, in either order of its bytes, or with Latin letters, every other byte of which is zero. */
    private static String encoding(byte a, byte b, byte c, byte d) {
        boolean isMark = a == (byte) 0xFE && b == (byte) 0xFF || a == (byte) 0xFF && b == (byte) 0xFE;
        if (isMark) {
            return "utf-16";
        }
        boolean isLow = a != 0 && b == 0 && c != 0 && d == 0;
        boolean isHigh = a == 0 && b != 0 && c == 0 && d != 0;
        return isLow ? "utf-16le" : isHigh ? "utf-16be" : "";
    }

    public static List<DataFile> choose(List<DataFile> files, int most) {
        List<DataFile> filled = files.stream().filter(f -> f.bytes() > 0).toList();
        if (filled.size() <= most) {
            return filled;
        }
        List<DataFile> chosen = new ArrayList<>();
        for (int i = 0; i < most; i++) {
            chosen.add(filled.get((int) ((long) i * (filled.size() - 1) / (most - 1))));
        }
        return chosen;
    }
}
