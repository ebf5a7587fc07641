package org.unimeros.cluster.files;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.net.URI;
import java.net.URISyntaxException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.security.CodeSource;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Stream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.storage.scratch.OwnerOnly;

/** The files of a job, where they are with the client. */
public final class JobPack {

    private final Map<FileRef, Path> files = new LinkedHashMap<>();
    private final Known known;

    /** What was found out of files for earlier jobs of a program, so that it is not found out for each. Thread-safe. */
    public static final class Known {
        private final Map<Path, Hashed> hashes = new ConcurrentHashMap<>();
        private final Map<Path, Path> jars = new ConcurrentHashMap<>();

        /** The hash of a file as it was when it had this size and time. */
        private record Hashed(long bytes, FileTime changed, String hash) {}

        private String hash(Path file) throws IOException {
            long bytes = Files.size(file);
            FileTime changed = Files.getLastModifiedTime(file);
            Hashed before = hashes.get(file);
            if (before != null && before.bytes == bytes && before.changed.equals(changed)) {
                return before.hash;
            }
            String hash = FileStore.hash(file);
            hashes.put(file, new Hashed(bytes, changed, hash));
            return hash;
        }
    }

    /** A pack of a program that has sent others before. */
    public JobPack(Known known) {
        this.known = known;
    }

    /** The only pack of a program. */
    public JobPack() {
        this(new Known());
    }

    /** What is sent, in the order in which it was added. */
    public List<FileRef> refs() {
        return List.copyOf(files.keySet());
    }

    /** Where the client has a file. */
    public Path path(FileRef ref) {
        return files.get(ref);
    }

    /** Adds a file under a name. */
    public void add(String name, Path file, FileRef.Role role) {
        try {
            files.put(new FileRef(known.hash(file), name, Files.size(file), role), file);
        } catch (IOException e) {
            throw new UserMistake("cannot read " + file + ", which is attached to the job: " + e.getMessage(), e);
        }
    }

    /**
     * Adds the jars and class folders that classes are from; a folder is packed into a jar.
     *
     * @param to a folder for jars that are packed here
     */
    public void addCode(Set<Class<?>> classes, Path to) {
        Set<Path> places = new LinkedHashSet<>();
        for (Class<?> type : classes) {
            Path place = place(type);
            if (place != null && !place.equals(place(OwnCode.class))) {
                places.add(place);
            }
        }
        for (Path place : places) {
            // Classes of this program do not change while it runs.
            Path jar =
                    Files.isDirectory(place) ? known.jars.computeIfAbsent(place, folder -> packed(folder, to)) : place;
            add(jar.getFileName().toString(), jar, FileRef.Role.CODE);
        }
    }

    private static Path place(Class<?> type) {
        CodeSource source = type.getProtectionDomain().getCodeSource();
        if (source == null || source.getLocation() == null || isOurs(type)) {
            return null;
        }
        try {
            URI uri = source.getLocation().toURI();
            return "file".equals(uri.getScheme()) ? Path.of(uri) : null;
        } catch (URISyntaxException e) {
            throw new UserMistake("the classes of " + source.getLocation() + " cannot be sent to workers", e);
        }
    }

    /** What every worker has: the parts of this product, which all have a package of that name two levels deep. */
    private static boolean isOurs(Class<?> type) {
        String name = type.getPackageName();
        return name.equals("org.unimeros")
                || name.startsWith("org.unimeros.code")
                || name.startsWith("org.unimeros.engine");
    }

    /** Entries are in order and have no times, so that the same classes make the same jar. */
    private static Path packed(Path folder, Path to) {
        try {
            OwnerOnly.createFolders(to);
            Path jar = Files.createTempFile(to, "classes-", ".jar");
            List<Path> all;
            try (Stream<Path> walk = Files.walk(folder)) {
                all = walk.filter(Files::isRegularFile).sorted().toList();
            }
            try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(jar));
                    ZipOutputStream zip = new ZipOutputStream(out)) {
                for (Path file : all) {
                    ZipEntry entry =
                            new ZipEntry(folder.relativize(file).toString().replace('\\', '/'));
                    entry.setTime(0);
                    zip.putNextEntry(entry);
                    Files.copy(file, zip);
                    zip.closeEntry();
                }
            }
            jar.toFile().deleteOnExit();
            return jar;
        } catch (IOException e) {
            throw new ResourceFailure("cannot pack the classes in " + folder + ": " + e.getMessage(), e);
        }
    }
}
