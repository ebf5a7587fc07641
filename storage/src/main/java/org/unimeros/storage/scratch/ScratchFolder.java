package org.unimeros.storage.scratch;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.EnumSet;
import java.util.UUID;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.spill.Scratch;

/**
 * Scratch files in a folder. The system removes a file as soon as it is closed or its process has ended, however that
 * came about, so that a killed process leaves nothing behind; the folder itself stays. Thread-safe.
 */
public final class ScratchFolder implements Scratch {

    private final Path folder;

    /** Files will be made in this folder, which is made when the first one is needed. */
    public ScratchFolder(Path folder) {
        this.folder = folder;
    }

    @Override
    public Scratch.File create() {
        try {
            OwnerOnly.createFolders(folder);
            Path path = folder.resolve("rows-" + UUID.randomUUID());
            FileChannel channel = FileChannel.open(
                    path,
                    EnumSet.of(
                            StandardOpenOption.CREATE_NEW,
                            StandardOpenOption.READ,
                            StandardOpenOption.WRITE,
                            StandardOpenOption.DELETE_ON_CLOSE),
                    OwnerOnly.fileAttributes(path));
            return new ScratchFile(channel);
        } catch (IOException e) {
            throw new ResourceFailure("cannot make a scratch file in " + folder + ": " + reason(e) + ADVICE, e);
        }
    }

    private static final String ADVICE = "; name a folder with space as memory.scratch, or raise memory.budget";

    private static String reason(IOException e) {
        return e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
    }

    private final class ScratchFile implements Scratch.File {
        private final FileChannel channel;
        private long end;

        ScratchFile(FileChannel channel) {
            this.channel = channel;
        }

        @Override
        public long append(byte[] bytes, int length) {
            long place = end;
            ByteBuffer buffer = ByteBuffer.wrap(bytes, 0, length);
            try {
                while (buffer.hasRemaining()) {
                    end += channel.write(buffer, end);
                }
                return place;
            } catch (IOException e) {
                throw new ResourceFailure("cannot write to scratch files in " + folder + ": " + reason(e) + ADVICE, e);
            }
        }

        @Override
        public void read(long place, byte[] into, int length) {
            ByteBuffer buffer = ByteBuffer.wrap(into, 0, length);
            try {
                while (buffer.hasRemaining()) {
                    int n = channel.read(buffer, place + buffer.position());
                    if (n < 0) {
                        throw new ResourceFailure("a scratch file in " + folder + " is shorter than what was written"
                                + " to it; check the disk, and run again");
                    }
                }
            } catch (IOException e) {
                throw new ResourceFailure("cannot read scratch files in " + folder + ": " + reason(e), e);
            }
        }

        @Override
        public void close() {
            try {
                channel.close();
            } catch (IOException e) {
                throw new ResourceFailure("cannot close a scratch file in " + folder + ": " + reason(e), e);
            }
        }
    }
}
