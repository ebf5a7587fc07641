package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;

/** A piece of work that the engine and a program written for it alone do in turn. */
abstract class Entry {

    private final String name;
    private final String work;
    private final long rows;
    private final Path input;

    /**
     * @param work what is done, in a few words
     * @param input the file that is read, null when everything is in memory
     */
    Entry(String name, String work, long rows, Path input) {
        this.name = name;
        this.work = work;
        this.rows = rows;
        this.input = input;
    }

    final String name() {
        return name;
    }

    final String work() {
        return work;
    }

    final long rows() {
        return rows;
    }

    /** Bytes that are read; 0 when everything is in memory. */
    final long bytes() throws IOException {
        return input == null ? 0 : Files.size(input);
    }

    /** Writes a file. */
    interface Making {
        void write(Path file) throws Exception;
    }

    /** Makes a file unless it is there; one that was begun and not finished is never taken for it. */
    static void make(Path file, Making making) throws Exception {
        if (Files.exists(file)) {
            return;
        }
        Files.createDirectories(file.toAbsolutePath().getParent());
        Path part = file.resolveSibling("unfinished");
        making.write(part);
        Files.move(part, file);
    }

    /** Makes the input, from a seed, unless it is there. */
    abstract void prepare() throws Exception;

    /** Makes of the input what the engine reads, where that is no file. */
    void prepareOurs() {
        // Files are read as they are.
    }

    /** The answer of the engine, to be compared by {@code equals}. */
    abstract Object ours(int slots) throws Exception;

    /** The same answer, by primitive arrays and nothing else. */
    abstract Object handWritten(int threads) throws Exception;

    @Override
    public final String toString() {
        return name;
    }
}
