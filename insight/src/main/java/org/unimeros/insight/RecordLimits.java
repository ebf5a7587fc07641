package org.unimeros.insight;

import java.io.File;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.regex.Pattern;

/**
 * Which records of runs a folder keeps: the newest, as far as all of these allow it. Immutable.
 *
 * @param number of records
 * @param ageMillis of a record, since it was written last
 * @param bytes of all together
 */
public record RecordLimits(long number, long ageMillis, long bytes) {

    /** The names of runs: {@code 20310304-091500-7c1a2b}. */
    private static final Pattern NAME = Pattern.compile("\\d{8}-\\d{6}-[0-9a-f]{6}");

    /** What is kept unless something else is said: the newest thousand, and of these no more than 2 GB. */
    public static final RecordLimits USUAL = new RecordLimits(1_000, Long.MAX_VALUE, 2L << 30);

    /** Keeps everything. */
    public static final RecordLimits NONE = new RecordLimits(Long.MAX_VALUE, Long.MAX_VALUE, Long.MAX_VALUE);

    /**
     * Removes the other records of a folder, and the pages beside them; never one that somebody writes, and no file that is something else: a folder of
     * records can be one of data, too.
     */
    public void apply(RunFolder folder) {
        if (equals(NONE)) {
            return;
        }
        long now = System.currentTimeMillis();
        long count = 0;
        long sum = 0;
        List<Path> records = folder.newest(Integer.MAX_VALUE).stream()
                .filter(record -> NAME.matcher(RunFolder.nameOf(record)).matches())
                .toList();
        for (Path record : records) {
            File file = record.toFile();
            count++;
            sum += file.length();
            boolean isKept = count <= number && sum <= bytes && now - file.lastModified() <= ageMillis;
            if (!isKept && !RunFolder.isWritten(record) && RunRecord.isOne(record)) {
                remove(record);
            }
        }
    }

    /** Others may remove it at the same time. */
    private static void remove(Path record) {
        try {
            Files.deleteIfExists(RunFolder.pageOf(record));
            Files.deleteIfExists(record);
        } catch (IOException e) {
            throw new UncheckedIOException("cannot remove " + record, e);
        }
    }
}
