package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.wire.Json;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * A folder with a file per run, to which everything is appended that the course of the run depends on, a JSON line each, before it is
 * acted upon. A line that a dying process left incomplete is as if it had never been. One coordinator at a time can have
 * the folder. What was appended survives the process, and the machine as far as its file system does.
 */
final class Journal implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(Journal.class);
    private static final String ENDING = ".jsonl";

    private final Path folder;
    private final FileChannel lockFile;

    /**
     * Takes the folder.
     *
     * @throws UserMistake when another coordinator has it
     */
    Journal(Path folder) {
        this.folder = folder;
        try {
            OwnerOnly.createFolders(folder);
            this.lockFile =
                    FileChannel.open(folder.resolve("lock"), StandardOpenOption.CREATE, StandardOpenOption.WRITE);
            if (lock().isEmpty()) {
                lockFile.close();
                throw new UserMistake("another coordinator has the journal in " + folder
                        + "; end it, or give this one a folder of its own (--journal)");
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot keep a journal in " + folder + ": " + e.getMessage(), e);
        }
    }

    private Optional<FileLock> lock() throws IOException {
        try {
            return Optional.ofNullable(lockFile.tryLock());
        } catch (OverlappingFileLockException e) {
            return Optional.empty();
        }
    }

    /** The journal of one run. Used by one thread at a time. */
    final class OfRun implements AutoCloseable {
        private final Path file;
        private OutputStream out;

        private OfRun(String run) {
            this.file = folder.resolve(run + ENDING);
        }

        void append(RunInput input) {
            try {
                if (out == null) {
                    out = Files.newOutputStream(file, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
                }
                byte[] json = Json.write(input);
                byte[] line = new byte[json.length + 1];
                System.arraycopy(json, 0, line, 0, json.length);
                line[json.length] = '\n';
                out.write(line);
            } catch (IOException e) {
                throw new ResourceFailure("cannot write to the journal " + file + ": " + e.getMessage(), e);
            }
        }

        /** Forgets the run. */
        void delete() {
            close();
            try {
                Files.deleteIfExists(file);
            } catch (IOException e) {
                LOG.warn("cannot delete {}", file, e);
            }
        }

        @Override
        public void close() {
            try {
                if (out != null) {
                    out.close();
                    out = null;
                }
            } catch (IOException e) {
                LOG.warn("cannot close {}", file, e);
            }
        }
    }

    OfRun of(String run) {
        return new OfRun(run);
    }

    /** What the journals of all runs hold, each from its submission on; journals that cannot be understood are left out. */
    List<List<RunInput>> read() {
        List<List<RunInput>> all = new ArrayList<>();
        try (Stream<Path> files = Files.list(folder)) {
            for (Path file :
                    files.filter(f -> f.toString().endsWith(ENDING)).sorted().toList()) {
                List<RunInput> inputs = read(file);
                if (!inputs.isEmpty() && inputs.get(0) instanceof RunInput.Submitted) {
                    all.add(inputs);
                } else {
                    LOG.warn("{} is no journal of a run", file);
                }
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot read the journals in " + folder + ": " + e.getMessage(), e);
        }
        return all;
    }

    private static List<RunInput> read(Path file) throws IOException {
        byte[] bytes = Files.readAllBytes(file);
        List<RunInput> inputs = new ArrayList<>();
        int from = 0;
        for (int i = 0; i < bytes.length; i++) {
            if (bytes[i] == '\n') {
                byte[] line = new byte[i - from];
                System.arraycopy(bytes, from, line, 0, line.length);
                from = i + 1;
                try {
                    inputs.add(Json.read(line, RunInput.class));
                } catch (ResourceFailure e) {
                    LOG.warn("{} is damaged in line {}; what follows is left out", file, inputs.size() + 1, e);
                    break;
                }
            }
        }
        if (from < bytes.length) {
            // Cut off, so that the next line does not become a part of it.
            try (FileChannel channel = FileChannel.open(file, StandardOpenOption.WRITE)) {
                channel.truncate(from);
            }
        }
        return inputs;
    }

    @Override
    public void close() {
        try {
            lockFile.close();
        } catch (IOException e) {
            LOG.warn("cannot release the journal in {}", folder, e);
        }
    }
}
