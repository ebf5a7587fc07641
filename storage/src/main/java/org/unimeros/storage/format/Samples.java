package org.unimeros.storage.format;

import java.util.ArrayList;
import java.util.List;

/** Chooses files to look at: the first, the last and some between. */
public final class Samples {

    private Samples() {}

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
