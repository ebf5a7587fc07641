package org.unimeros.storage.format.parquet;

import dev.hardwood.InputFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.store.ReadableFile;

/** A file as the library reads it: ranges of what a store has opened. */
final class LibraryInput implements InputFile {

    private final DataFile file;
    private ReadableFile content;

    LibraryInput(DataFile file) {
        this.file = file;
    }

    @Override
    public synchronized void open() throws IOException {
        if (content == null) {
            content = file.path().open();
        }
    }

    @Override
    public ByteBuffer readRange(long offset, int length) throws IOException {
        return content.range(offset, length);
    }

    @Override
    public long length() {
        return file.bytes();
    }

    @Override
    public String name() {
        return file.toString();
    }

    @Override
    public synchronized void close() throws IOException {
        if (content != null) {
            content.close();
            content = null;
        }
    }
}
