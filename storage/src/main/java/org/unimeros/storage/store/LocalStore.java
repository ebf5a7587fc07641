package org.unimeros.storage.store;

import java.io.EOFException;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.DirectoryNotEmptyException;
import java.nio.file.FileSystemException;
import java.nio.file.FileVisitOption;
import java.nio.file.FileVisitResult;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.NotDirectoryException;
import java.nio.file.Path;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.BasicFileAttributes;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Comparator;
import java.util.EnumSet;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.function.Predicate;
import java.util.stream.Stream;

/** The file system of this machine, and what is mounted into it. Links are followed. */
public enum LocalStore implements Store {
    INSTANCE;

    private static final int DEEPEST = 64;
    /** Larger ranges are mapped, so that they take no memory of the heap. */
    private static final int LARGEST_READ = 1 << 18;

    /** Held while a file of the folder is compared and replaced. */
    private static final String CHANGING = ".changing";

    @Override
    public void list(String folder, Predicate<String> wanted, Consumer<StoredFile> files) throws IOException {
        Path root = Path.of(folder);
        Files.walkFileTree(root, EnumSet.of(FileVisitOption.FOLLOW_LINKS), DEEPEST, new SimpleFileVisitor<>() {
            @Override
            public FileVisitResult preVisitDirectory(Path path, BasicFileAttributes attributes) {
                boolean isWanted = path.equals(root) || wanted.test(slashed(root.relativize(path)));
                return isWanted ? FileVisitResult.CONTINUE : FileVisitResult.SKIP_SUBTREE;
            }

            @Override
            public FileVisitResult visitFile(Path path, BasicFileAttributes attributes) {
                if (attributes.isRegularFile()) {
                    files.accept(file(slashed(path), attributes));
                }
                return FileVisitResult.CONTINUE;
            }

            @Override
            public FileVisitResult visitFileFailed(Path path, IOException e) throws IOException {
                if (e instanceof NoSuchFileException) {
                    return FileVisitResult.CONTINUE;
                }
                throw e;
            }
        });
    }

    private static String slashed(Path path) {
        String text = path.toString();
        return path.getFileSystem().getSeparator().equals("/") ? text : text.replace('\\', '/');
    }

    private static StoredFile file(String path, BasicFileAttributes attributes) {
        return new StoredFile(
                path, attributes.size(), attributes.lastModifiedTime().toMillis());
    }

    @Override
    public List<String> children(String folder) throws IOException {
        try (Stream<Path> all = Files.list(Path.of(folder))) {
            return all.map(path -> path.getFileName().toString()).toList();
        } catch (NoSuchFileException | NotDirectoryException e) {
            return List.of();
        }
    }

    @Override
    public Optional<StoredFile> find(String path) throws IOException {
        try {
            BasicFileAttributes attributes = Files.readAttributes(Path.of(path), BasicFileAttributes.class);
            return attributes.isRegularFile() ? Optional.of(file(path, attributes)) : Optional.empty();
        } catch (FileSystemException e) {
            return absent(path, e);
        }
    }

    @Override
    public boolean isFolder(String path) {
        return Files.isDirectory(Path.of(path));
    }

    @Override
    public ReadableFile open(String path) throws IOException {
        return new OpenFile(FileChannel.open(Path.of(path), StandardOpenOption.READ));
    }

    private record OpenFile(FileChannel channel) implements ReadableFile {
        @Override
        public int read(ByteBuffer to, long position) throws IOException {
            return channel.read(to, position);
        }

        @Override
        public ByteBuffer range(long position, int length) throws IOException {
            if (position + length > channel.size()) {
                throw new EOFException("the file ends at " + channel.size() + ", before " + (position + length));
            }
            if (length > LARGEST_READ) {
                return channel.map(FileChannel.MapMode.READ_ONLY, position, length);
            }
            ByteBuffer bytes = ByteBuffer.allocate(length);
            while (bytes.hasRemaining()) {
                if (channel.read(bytes, position + bytes.position()) < 0) {
                    throw new EOFException("the file became shorter while it was read");
                }
            }
            return bytes.flip();
        }

        @Override
        public void close() throws IOException {
            channel.close();
        }
    }

    @Override
    public OutputStream create(String path) throws IOException {
        return Files.newOutputStream(withFolders(path));
    }

    private static Path withFolders(String path) throws IOException {
        Path file = Path.of(path);
        if (file.getParent() != null && !Files.isDirectory(file.getParent())) {
            Files.createDirectories(file.getParent());
        }
        return file;
    }

    @Override
    public Optional<Content> read(String path) throws IOException {
        try {
            byte[] bytes = Files.readAllBytes(Path.of(path));
            return Optional.of(new Content(bytes, version(bytes)));
        } catch (FileSystemException e) {
            return absent(path, e);
        }
    }

    /** Nothing, where a failure means that there is no such file; one that would have to be below another file is none. */
    private static <T> Optional<T> absent(String path, FileSystemException e) throws FileSystemException {
        if (e instanceof NoSuchFileException || isBelowFile(Path.of(path))) {
            return Optional.empty();
        }
        throw e;
    }

    private static boolean isBelowFile(Path path) {
        Path above = path.getParent();
        while (above != null && !Files.exists(above)) {
            above = above.getParent();
        }
        return above != null && Files.isRegularFile(above);
    }

    private static String version(byte[] bytes) {
        try {
            return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(bytes));
        } catch (NoSuchAlgorithmException e) {
            throw new IllegalStateException("every Java platform has SHA-256", e);
        }
    }

    @Override
    public boolean publish(String path, byte[] bytes, Optional<String> unchanged) throws IOException {
        Path file = withFolders(path);
        StoreLock lock = LocalLock.take(file.resolveSibling(CHANGING));
        try {
            boolean isUnchanged = read(path).map(Content::version).equals(unchanged);
            if (isUnchanged) {
                // Under a name that is always the same, so that what a process that died has left of it is overwritten.
                Path written = file.resolveSibling(file.getFileName() + ".new");
                try (FileChannel channel = FileChannel.open(
                        written,
                        StandardOpenOption.CREATE,
                        StandardOpenOption.WRITE,
                        StandardOpenOption.TRUNCATE_EXISTING)) {
                    ByteBuffer left = ByteBuffer.wrap(bytes);
                    while (left.hasRemaining()) {
                        channel.write(left);
                    }
                    channel.force(true);
                }
                Files.move(written, file, StandardCopyOption.ATOMIC_MOVE);
            }
            return isUnchanged;
        } finally {
            lock.close();
        }
    }

    @Override
    public void move(String from, String to) throws IOException {
        Files.move(Path.of(from), withFolders(to), StandardCopyOption.REPLACE_EXISTING);
    }

    @Override
    public void delete(String path) throws IOException {
        Files.deleteIfExists(Path.of(path));
    }

    @Override
    public void makeFolder(String folder) throws IOException {
        Path path = Path.of(folder);
        if (!Files.isDirectory(path)) {
            Files.createDirectories(path);
        }
    }

    @Override
    public void deleteFolder(String folder) throws IOException {
        if (!Files.exists(Path.of(folder))) {
            return;
        }
        List<Path> all;
        try (Stream<Path> walk = Files.walk(Path.of(folder))) {
            all = walk.sorted(Comparator.reverseOrder()).toList();
        }
        for (Path path : all) {
            Files.deleteIfExists(path);
        }
    }

    @Override
    public boolean deleteIfEmpty(String folder) throws IOException {
        try {
            Files.deleteIfExists(Path.of(folder));
            return true;
        } catch (DirectoryNotEmptyException e) {
            return false;
        }
    }

    @Override
    public Optional<StoreLock> tryLock(String path) throws IOException {
        return LocalLock.tryTake(withFolders(path));
    }

    @Override
    public StoreLock lock(String path) throws IOException {
        return LocalLock.take(withFolders(path));
    }

    @Override
    public String absolute(String path) {
        return slashed(Path.of(path).toAbsolutePath().normalize());
    }
}
