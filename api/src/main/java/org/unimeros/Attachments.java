package org.unimeros;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.FileStore;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.files.OpenFiles;
import org.unimeros.cluster.job.JobFolder;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.JobFiles;

/** The files that an engine's jobs bring along, and how tasks in this process see them. Thread-safe. */
final class Attachments implements JobFiles, AutoCloseable {

    private final Path folder;
    private final FileStore store;
    private final JobPack.Known known = new JobPack.Known();
    private final Map<String, Attached> files = new LinkedHashMap<>();
    private final Map<String, String> unpacked = new LinkedHashMap<>();
    private final Map<String, Object> shared = new ConcurrentHashMap<>();

    private record Attached(Path path, FileRef.Role role) {}

    /** @param scratch beside this folder is room for what is unpacked */
    Attachments(Path scratch) {
        this.folder = scratch.toAbsolutePath()
                .resolveSibling("attached-" + ProcessHandle.current().pid() + "-" + System.identityHashCode(this));
        this.store = new FileStore(folder);
    }

    synchronized void add(String name, Path path, FileRef.Role role) {
        if (name.isBlank()) {
            throw new UserMistake("an attachment needs a name");
        }
        if (!Files.isReadable(path) || !Files.isRegularFile(path)) {
            throw new UserMistake("cannot attach " + path + ": it is no file that can be read");
        }
        Attached before = files.putIfAbsent(name, new Attached(path.toAbsolutePath(), role));
        if (before != null && !before.path.equals(path.toAbsolutePath())) {
            throw new UserMistake("there is an attachment " + name + " already, " + before.path);
        }
    }

    /** Adds what was attached to the job that this program is, as it was laid out for it. */
    void addFrom(Path laidOut) {
        for (FileRef.Role role : FileRef.Role.values()) {
            try (Stream<Path> attached = Files.list(JobFolder.of(laidOut, role))) {
                attached.sorted().forEach(path -> add(path.getFileName().toString(), path, role));
            } catch (IOException e) {
                throw new ResourceFailure("cannot read what is attached to the job, " + laidOut + ": " + e, e);
            }
        }
    }

    /** What is sent with a job, together with the code that these classes are from. */
    synchronized JobPack pack(Set<Class<?>> classes) {
        JobPack pack = new JobPack(known);
        files.forEach((name, file) -> pack.add(name, file.path, file.role));
        pack.addCode(classes, folder);
        return pack;
    }

    @Override
    public ClassLoader loader() {
        return null;
    }

    @Override
    public synchronized String attachment(String name) {
        Attached file = files.get(name);
        if (file == null || file.role == FileRef.Role.CODE) {
            throw new UserMistake("nothing is attached as " + name
                    + (names().isEmpty() ? "; attach files before the job runs" : "; attached are " + names()));
        }
        return file.role == FileRef.Role.FILE
                ? file.path.toString()
                : unpacked.computeIfAbsent(name, n -> unpack(n, file.path));
    }

    @Override
    public synchronized Set<String> names() {
        return files.entrySet().stream()
                .filter(f -> f.getValue().role != FileRef.Role.CODE)
                .map(Map.Entry::getKey)
                .collect(Collectors.toSet());
    }

    @Override
    public Object shared(String key, Supplier<Object> value) {
        return shared.computeIfAbsent(key, k -> value.get());
    }

    private String unpack(String name, Path archive) {
        try {
            String hash = FileStore.hash(archive);
            Path kept;
            try (InputStream in = Files.newInputStream(archive)) {
                kept = store.add(hash, in, Long.MAX_VALUE);
            }
            return OpenFiles.unpacked(new FileRef(hash, name, Files.size(archive), FileRef.Role.ARCHIVE), kept)
                    .toString();
        } catch (IOException e) {
            throw new ResourceFailure("cannot unpack " + name + ": " + e.getMessage(), e);
        }
    }

    @Override
    public void close() {
        store.delete();
    }
}
