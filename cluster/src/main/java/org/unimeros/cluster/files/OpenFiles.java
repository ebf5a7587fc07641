package org.unimeros.cluster.files;

import java.io.IOException;
import java.io.InputStream;
import java.net.MalformedURLException;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
import java.util.function.Supplier;
import java.util.zip.ZipEntry;
import java.util.zip.ZipInputStream;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.JobFiles;
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * The files of a job where its tasks run: classes behind a loader, attachments by name, archives unpacked next to where they are kept,
 * once for all jobs. Thread-safe.
 */
public final class OpenFiles implements JobFiles, AutoCloseable {

    private static final long MOST_UNPACKED = 16L << 30;

    private final URLClassLoader loader;
    private final Map<String, String> attachments = new HashMap<>();
    private final Map<String, Object> shared = new ConcurrentHashMap<>();

    /** @param place where the file of a reference is, which is fetched when it is not there yet */
    public OpenFiles(List<FileRef> refs, Function<FileRef, Path> place) {
        List<URL> jars = new ArrayList<>();
        for (FileRef ref : refs) {
            Path path = place.apply(ref);
            switch (ref.role()) {
                case CODE -> jars.add(url(path));
                case FILE -> attachments.put(ref.name(), path.toString());
                case ARCHIVE -> attachments.put(ref.name(), unpacked(ref, path).toString());
            }
        }
        this.loader = jars.isEmpty() ? null : new JobLoader(jars.toArray(URL[]::new));
    }

    private static URL url(Path path) {
        try {
            return path.toUri().toURL();
        } catch (MalformedURLException e) {
            throw new ResourceFailure("cannot load classes from " + path, e);
        }
    }

    @Override
    public ClassLoader loader() {
        return loader;
    }

    @Override
    public String attachment(String name) {
        String path = attachments.get(name);
        if (path == null) {
            throw new UserMistake("nothing is attached as " + name
                    + (attachments.isEmpty()
                            ? "; attach files before the job runs"
                            : "; attached are " + attachments.keySet()));
        }
        return path;
    }

    @Override
    public Set<String> names() {
        return Set.copyOf(attachments.keySet());
    }

    @Override
    public Object shared(String key, Supplier<Object> value) {
        return shared.computeIfAbsent(key, k -> value.get());
    }

    @Override
    public void close() {
        if (loader != null) {
            try {
                loader.close();
            } catch (IOException e) {
                throw new ResourceFailure("cannot close the classes of a job", e);
            }
        }
    }

    /**
     * Unpacks an archive in the format of zip into a folder beside it, which is there whole or not at all.
     *
     * @throws UserMistake when it is none, or an entry would lie outside
     */
    public static Path unpacked(FileRef ref, Path archive) {
        Path folder = archive.resolveSibling(ref.hash() + ".unpacked");
        if (Files.isDirectory(folder)) {
            return folder;
        }
        Path incoming = archive.resolveSibling("incoming-" + UUID.randomUUID());
        try {
            unpack(ref.name(), archive, incoming);
            Files.move(incoming, folder, StandardCopyOption.ATOMIC_MOVE);
        } catch (IOException e) {
            if (!Files.isDirectory(folder)) {
                throw new ResourceFailure("cannot unpack " + ref.name() + ": " + e.getMessage(), e);
            }
        }
        return folder;
    }

    private static void unpack(String name, Path archive, Path to) throws IOException {
        OwnerOnly.createFolders(to);
        long left = MOST_UNPACKED;
        boolean any = false;
        try (InputStream in = Files.newInputStream(archive);
                ZipInputStream zip = new ZipInputStream(in)) {
            for (ZipEntry entry = zip.getNextEntry(); entry != null; entry = zip.getNextEntry()) {
                any = true;
                Path path = to.resolve(entry.getName()).normalize();
                if (!path.startsWith(to)) {
                    throw new UserMistake("the archive " + name + " has an entry outside of it, " + entry.getName());
                }
                if (entry.isDirectory()) {
                    OwnerOnly.createFolders(path);
                    continue;
                }
                OwnerOnly.createFolders(path.getParent());
                left -= Files.copy(zip, path);
                if (left < 0) {
                    throw new UserMistake("the archive " + name + " is too large when it is unpacked");
                }
            }
        }
        if (!any) {
            throw new UserMistake("the archive " + name + " is not in the format of zip, or is empty");
        }
    }

    /** Takes classes of the job's own jars before those of the worker, which has other versions of libraries perhaps. */
    private static final class JobLoader extends URLClassLoader {
        JobLoader(URL... jars) {
            super(jars, OpenFiles.class.getClassLoader());
        }

        @Override
        protected Class<?> loadClass(String name, boolean resolve) throws ClassNotFoundException {
            boolean shared = name.startsWith("java.")
                    || name.matches("org\\.unimeros\\.([A-Z].*|(code|engine|sql|storage|cluster|insight)\\..*)");
            if (!shared) {
                synchronized (getClassLoadingLock(name)) {
                    Class<?> known = findLoadedClass(name);
                    if (known != null) {
                        return known;
                    }
                    try {
                        return findClass(name);
                    } catch (ClassNotFoundException e) {
                        return super.loadClass(name, resolve);
                    }
                }
            }
            return super.loadClass(name, resolve);
        }
    }
}
