package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.IOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.storage.store.Store;
import org.unimeros.storage.store.StorePath;

/**
 * All runs that were published to a dataset, a line each: the run and, behind tabs, the folders that it wrote to. A line counts from its
 * end on, so that one which was not written whole is written again.
 */
final class PublishedRuns {

    private final StorePath file;

    PublishedRuns(StorePath file) {
        this.file = file;
    }

    /** A publication; the folders are relative to the dataset, empty for the dataset itself. */
    record Entry(String run, List<String> folders) {}

    /** A place behind all entries so far. */
    long end() throws IOException {
        return text().length;
    }

    boolean has(String run) throws IOException {
        return since(0).stream().anyMatch(e -> e.run.equals(run));
    }

    /** The entries behind a place. */
    List<Entry> since(long place) throws IOException {
        List<Entry> entries = new ArrayList<>();
        byte[] all = text();
        int from = (int) Math.min(place, all.length);
        for (String line : new String(all, from, all.length - from, UTF_8).split("\n")) {
            String[] parts = line.split("\t", -1);
            if (!line.isEmpty()) {
                entries.add(new Entry(parts[0], Arrays.asList(parts).subList(1, parts.length)));
            }
        }
        return entries;
    }

    /** The whole lines. */
    private byte[] text() throws IOException {
        byte[] all = file.read().map(Store.Content::bytes).orElse(new byte[0]);
        int end = all.length;
        while (end > 0 && all[end - 1] != '\n') {
            end--;
        }
        return Arrays.copyOf(all, end);
    }

    void add(Entry entry) throws IOException {
        String line = entry.folders.isEmpty() ? entry.run : entry.run + "\t" + String.join("\t", entry.folders);
        byte[] before = text();
        byte[] added = (line + "\n").getBytes(UTF_8);
        byte[] all = Arrays.copyOf(before, before.length + added.length);
        System.arraycopy(added, 0, all, before.length, added.length);
        file.replace(all);
    }
}
