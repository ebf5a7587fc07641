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
            int mark = in.read() << Byte.SIZE | in.read();
            // The mark that begins text of 16 bits, in either order of its bytes.
            return mark == 0xFEFF || mark == 0xFFFE ? options.found(FormatOption.ENCODING, "utf-16") : options;
        } catch (IOException e) {
            throw Io.failure("read", first.get().path(), e);
        }
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
