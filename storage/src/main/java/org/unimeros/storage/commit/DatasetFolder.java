package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.IOException;
import java.io.Serializable;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.FileVisitOption;
import java.nio.file.FileVisitResult;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Predicate;
import java.util.stream.Stream;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;

/** The folder of a dataset, as readers and writers must see it. */
public final class DatasetFolder implements Serializable {

    static final String OWN = "_unimeros";

    private static final int LISTINGS = 200;
    private static final int SAME_LISTINGS = 5;
    private static final int WAITS = 20;
    private static final long PAUSE_MILLIS = 10;

    /** File locks hold between processes only; within one, this does. */
    private static final Object IN_PROCESS = new Object();

    /**
     * Lock files that this process holds. It must not open them again: on closing a file, systems drop all locks that the process has on it,
     * whichever channel took them.
     */
    private static final Set<Path> ALIVE = ConcurrentHashMap.newKeySet();

    private static final String LOCK = ".lock";

    private final Path root;
    private final long keepReplacedMillis;

    public DatasetFolder(Path root) {
        this(root, WriteSpec.KEEP_REPLACED_MILLIS);
    }

    /** @param keepReplacedMillis how long replaced files stay for readers that have listed them; 0 deletes them at once */
    DatasetFolder(Path root, long keepReplacedMillis) {
        this.root = root;
        this.keepReplacedMillis = keepReplacedMillis;
    }

    Path own() {
        return root.resolve(OWN);
    }

    Path staging() {
        return own().resolve("staging");
    }

    /** Where a file in staging is once it is published; empty for a file that is not in staging. */
    static Optional<Path> placeOfStaged(Path file) {
        for (int i = file.getNameCount() - 3; i > 0; i--) {
            if (file.getName(i).toString().equals(OWN)
                    && file.getName(i + 1).toString().equals("staging")) {
                Path root = file.getRoot() == null
                        ? file.subpath(0, i)
                        : file.getRoot().resolve(file.subpath(0, i));
                return i + 3 < file.getNameCount()
                        ? Optional.of(root.resolve(file.subpath(i + 3, file.getNameCount())))
                        : Optional.empty();
            }
        }
        return Optional.empty();
    }

    /** Where the files of a run are until they are published. */
    Path stagingOf(String run) {
        return staging().resolve(run);
    }

    private Path generation() {
        return own().resolve("generation");
    }

    private PublishedRuns published() {
        return new PublishedRuns(own().resolve("published"));
    }

    private Path record() {
        return own().resolve("publication.json");
    }

    /**
     * All data files, by path, as of one moment; names that begin with a dot or an underscore are none. A listing during
     * which a publication began or ended is made again.
     */
    public List<DataFile> list() {
        return list(folder -> true);
    }

    /**
     * The same.
     *
     * @param wanted whether files below a folder are asked for, by its path in the dataset; others are not looked into
     */
    public List<DataFile> list(Predicate<Path> wanted) {
        State last = null;
        int same = 0;
        for (int attempt = 0; attempt < LISTINGS; attempt++) {
            State before = settledState();
            Optional<List<DataFile>> files = list(before, wanted);
            boolean settled = before.equals(state());
            if (files.isPresent() && settled) {
                return files.get();
            }
            same = settled && before.equals(last) ? same + 1 : 0;
            last = before;
            if (same == SAME_LISTINGS) {
                throw missing(before.underWay.orElseThrow());
            }
            pause();
        }
        throw new ResourceFailure(
                root + " is changed all the time, so that its files cannot be listed; try again later");
    }

    /** Nobody publishes, and still a file is neither in staging nor in its place. */
    private BadData missing(Publication publication) {
        String file = publication.added().stream()
                .filter(added -> !isThere(publication, added))
                .findFirst()
                .orElse("a file");
        return new BadData("the publication of run " + publication.run() + " to " + root + " lacks " + file
                + ", which is neither in staging nor in its place; bring it back, or delete " + record()
                + " to keep the dataset as it is");
    }

    private boolean isThere(Publication publication, String added) {
        return Files.exists(stagingOf(publication.run()).resolve(added)) || Files.exists(root.resolve(added));
    }

    /** What tells publications apart: the one under way, and the last one that was completed. */
    private record State(Optional<Publication> underWay, String lastRun) {}

    private State state() {
        Optional<Publication> underWay = Publication.read(record());
        try {
            return new State(underWay, Files.exists(generation()) ? Files.readString(generation()) : "");
        } catch (IOException e) {
            throw Io.failure("read", generation(), e);
        }
    }

    /** The state after a publication under way has had a moment to end; one of a dead process never does. */
    private State settledState() {
        State state = state();
        for (int i = 0; i < WAITS && state.underWay.isPresent(); i++) {
            pause();
            state = state();
        }
        return state;
    }

    private static void pause() {
        try {
            Thread.sleep(PAUSE_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new ResourceFailure("interrupted while listing files", e);
        }
    }

    /** The files in a state; empty when they are no longer where that state has them. */
    private Optional<List<DataFile>> list(State state, Predicate<Path> wanted) {
        List<DataFile> files = new ArrayList<>(walk(root, wanted));
        if (state.underWay.isPresent() && !apply(state.underWay.get(), files)) {
            return Optional.empty();
        }
        files.sort(Comparator.comparing(DataFile::toString));
        return Optional.of(files);
    }

    private static List<DataFile> walk(Path root, Predicate<Path> wanted) {
        List<DataFile> files = new ArrayList<>();
        String separator = root.getFileSystem().getSeparator();
        try {
            if (Files.isRegularFile(root)) {
                BasicFileAttributes a = Files.readAttributes(root, BasicFileAttributes.class);
                return List.of(dataFile(root, a));
            }
            Files.walkFileTree(root, EnumSet.of(FileVisitOption.FOLLOW_LINKS), 64, new SimpleFileVisitor<>() {
                @Override
                public FileVisitResult preVisitDirectory(Path folder, BasicFileAttributes attributes) {
                    boolean skip = !folder.equals(root) && (isHidden(folder) || !wanted.test(root.relativize(folder)));
                    return skip ? FileVisitResult.SKIP_SUBTREE : FileVisitResult.CONTINUE;
                }

                @Override
                public FileVisitResult visitFile(Path file, BasicFileAttributes attributes) {
                    DataFile found = dataFile(file, attributes);
                    String text = found.toString();
                    if (attributes.isRegularFile() && !isHidden(text, 1 + text.lastIndexOf(separator))) {
                        files.add(found);
                    }
                    return FileVisitResult.CONTINUE;
                }

                @Override
                public FileVisitResult visitFileFailed(Path file, IOException e) throws IOException {
                    if (e instanceof NoSuchFileException && !file.equals(root)) {
                        return FileVisitResult.CONTINUE;
                    }
                    throw e;
                }
            });
        } catch (IOException e) {
            throw Io.failure("list", root, e);
        }
        return files;
    }

    private static boolean isHidden(Path path) {
        return isHidden(path.getFileName().toString(), 0);
    }

    private static boolean isHidden(String text, int nameStart) {
        return text.startsWith(".", nameStart) || text.startsWith("_", nameStart);
    }

    private static DataFile dataFile(Path path, BasicFileAttributes attributes) {
        return new DataFile(
                path, attributes.size(), attributes.lastModifiedTime().toMillis());
    }

    /**
     * What is moved in counts as there, wherever it is now; what is removed counts as gone. Files move from staging to
     * their place and never back, so they are looked for in this order.
     */
    private boolean apply(Publication publication, List<DataFile> files) {
        Set<Path> changed = new HashSet<>();
        publication.removed().forEach(path -> changed.add(root.resolve(path)));
        publication.added().forEach(path -> changed.add(root.resolve(path)));
        files.removeIf(f -> changed.contains(f.path()));
        Path stagedRoot = staging().resolve(publication.run());
        for (String added : publication.added()) {
            Optional<DataFile> file = dataFile(stagedRoot.resolve(added)).or(() -> dataFile(root.resolve(added)));
            if (file.isEmpty()) {
                return false;
            }
            files.add(file.get());
        }
        return true;
    }

    private static Optional<DataFile> dataFile(Path path) {
        try {
            BasicFileAttributes a = Files.readAttributes(path, BasicFileAttributes.class);
            return Optional.of(dataFile(path, a));
        } catch (NoSuchFileException e) {
            return Optional.empty();
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }

    /** The path of a data file relative to the dataset, also while it is still in staging. */
    public String relative(DataFile file) {
        String start = root + root.getFileSystem().getSeparator();
        String path = file.toString();
        // Nearly all files are where their text says; taking many paths apart costs as much as reading small files.
        if (path.startsWith(start) && !path.startsWith(OWN, start.length())) {
            return path.substring(start.length()).replace('\\', '/');
        }
        Path inDataset = file.path().startsWith(staging())
                ? staging()
                        .relativize(file.path())
                        .subpath(1, staging().relativize(file.path()).getNameCount())
                : root.relativize(file.path());
        return inDataset.toString().replace('\\', '/');
    }

    /**
     * Prepares a place for the files of a run: completes what a process that died left behind, and holds a lock that
     * shows that the run is alive.
     */
    StagingArea begin(String run) {
        try {
            Files.createDirectories(staging());
        } catch (IOException e) {
            throw Io.failure("write to", root, e);
        }
        AtomicReference<StagingArea> area = new AtomicReference<>();
        // Whoever sweeps holds the same lock, so that nobody takes a lock file for a dead one before it is locked.
        underLock("write to", () -> {
            StagingArea locked = lockStaging(run);
            try {
                // With the lock held, what this very run has left behind before its process started again stays.
                completeRecorded();
                removeDeadStaging();
                removeReplaced();
                locked.sawPublished(published().end());
                Files.createDirectories(locked.folder());
                area.set(locked);
            } finally {
                if (area.get() == null) {
                    locked.release(true);
                }
            }
        });
        return area.get();
    }

    private StagingArea lockStaging(String run) throws IOException {
        Path lockFile = lockFile(run);
        if (!ALIVE.add(lockFile)) {
            throw new ResourceFailure("this process writes run " + run + " to " + root + " already");
        }
        StagingArea area = null;
        try {
            FileChannel channel = FileChannel.open(
                    lockFile, StandardOpenOption.CREATE, StandardOpenOption.READ, StandardOpenOption.WRITE);
            if (tryLock(channel) == null) {
                channel.close();
                throw new ResourceFailure("another process writes run " + run + " to " + root);
            }
            area = new StagingArea(stagingOf(run), lockFile, channel);
            return area;
        } finally {
            if (area == null) {
                ALIVE.remove(lockFile);
            }
        }
    }

    /** Null when somebody else holds the lock. */
    private static FileLock tryLock(FileChannel channel) throws IOException {
        try {
            return channel.tryLock();
        } catch (OverlappingFileLockException e) {
            // Another copy of this class in the process does not see what this one holds.
            return null;
        }
    }

    private Path lockFile(String run) throws IOException {
        return staging().toRealPath().resolve(run + LOCK);
    }

    /** A folder for the files of one run, and the lock that keeps others from removing it. */
    record StagingArea(Path folder, Path lockFile, FileChannel lock) {
        /** Notes how many publications the run has seen, unless it has before it started again. */
        void sawPublished(long end) throws IOException {
            if (lock.size() == 0) {
                lock.write(ByteBuffer.wrap(Long.toString(end).getBytes(US_ASCII)), 0);
            }
        }

        /** The place behind the publications that there were when the run began. */
        long seen() throws IOException {
            ByteBuffer text = ByteBuffer.allocate(32);
            lock.read(text, 0);
            return Long.parseLong(new String(text.array(), 0, text.position(), US_ASCII));
        }

        void release(boolean keepFiles) throws IOException {
            try (lock) {
                if (!keepFiles) {
                    delete(folder);
                }
            } finally {
                ALIVE.remove(lockFile);
            }
            Files.deleteIfExists(lockFile);
        }
    }

    /** Completes a publication that was recorded, and deletes the staging of runs that nobody writes any more. */
    public void completeLeftovers() {
        if (!Files.isDirectory(own())) {
            return;
        }
        underLock(() -> {
            completeRecorded();
            removeDeadStaging();
            removeReplaced();
        });
    }

    private void removeReplaced() throws IOException {
        new ReplacedFiles(root).deleteBefore(System.currentTimeMillis() - keepReplacedMillis);
    }

    private void removeDeadStaging() throws IOException {
        if (!Files.isDirectory(staging())) {
            return;
        }
        // A process can die before it has made its folder, or when it has just removed it, and leave its lock alone.
        Set<String> runs = new TreeSet<>();
        try (Stream<Path> all = Files.list(staging())) {
            all.forEach(path -> {
                String name = path.getFileName().toString();
                if (name.endsWith(LOCK)) {
                    runs.add(name.substring(0, name.length() - LOCK.length()));
                } else if (Files.isDirectory(path)) {
                    runs.add(name);
                }
            });
        }
        for (String run : runs) {
            removeIfDead(run);
        }
    }

    private void removeIfDead(String run) throws IOException {
        Path lockFile = lockFile(run);
        if (ALIVE.contains(lockFile)) {
            return;
        }
        try (FileChannel channel = FileChannel.open(lockFile, StandardOpenOption.CREATE, StandardOpenOption.WRITE)) {
            if (tryLock(channel) != null) {
                delete(stagingOf(run));
                Files.deleteIfExists(lockFile);
            }
        }
    }

    /** Work on files. */
    interface Work {
        void run() throws IOException;
    }

    /** Does work that only one process, and one thread in it, may do at a time. */
    void underLock(Work work) {
        underLock("publish to", work);
    }

    private void underLock(String doing, Work work) {
        synchronized (IN_PROCESS) {
            Path lockFile = own().resolve("publish.lock");
            try (FileChannel channel = FileChannel.open(lockFile, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
                    FileLock lock = channel.lock()) {
                if (lock.isValid()) {
                    work.run();
                }
            } catch (IOException e) {
                throw Io.failure(doing, root, e);
            }
        }
    }

    /** Whether a run was published, be it last or long ago. */
    boolean isPublished(String run) throws IOException {
        boolean wasLast =
                Files.exists(generation()) && Files.readString(generation()).equals(run);
        return wasLast || published().has(run);
    }

    /** What other runs published since a run began. */
    List<PublishedRuns.Entry> publishedSince(StagingArea area) throws IOException {
        return published().since(area.seen());
    }

    /** Fails when files that a run wrote are gone, since to publish it without them would lose what they replace. */
    void requireStaged(String run, List<String> added) {
        for (String file : added) {
            if (!Files.exists(stagingOf(run).resolve(file))) {
                throw new ResourceFailure("run " + run + " cannot be published to " + root + ": its file " + file
                        + " is not there any more; nothing was changed, run it again");
            }
        }
    }

    /** Records a publication, which is the step that counts: from now on it will be carried out, by whoever comes next. */
    void record(Publication publication) throws IOException {
        publication.write(record());
    }

    /** Carries out a publication that a process recorded and did not complete. */
    void completeRecorded() throws IOException {
        Optional<Publication> leftover = Publication.read(record());
        if (leftover.isPresent()) {
            carryOut(leftover.get());
        }
    }

    /** Every step can be done again, so that another process can take over at any point. */
    void carryOut(Publication publication) throws IOException {
        Path stagedRoot = staging().resolve(publication.run());
        if (publication.added().stream().anyMatch(added -> !isThere(publication, added))) {
            throw missing(publication);
        }
        ReplacedFiles replaced = new ReplacedFiles(root);
        for (String removed : publication.removed()) {
            if (keepReplacedMillis == 0) {
                Files.deleteIfExists(root.resolve(removed));
            } else {
                replaced.keep(publication.run(), removed);
            }
        }
        for (String added : publication.added()) {
            Path staged = stagedRoot.resolve(added);
            Path target = root.resolve(added);
            if (Files.exists(staged)) {
                Files.createDirectories(target.getParent());
                Files.move(staged, target);
            }
        }
        removeEmptyFolders(publication.removed());
        if (!published().has(publication.run())) {
            published().add(new PublishedRuns.Entry(publication.run(), publication.folders()));
        }
        Path written = generation().resolveSibling("generation." + publication.run());
        Files.writeString(written, publication.run());
        Files.move(written, generation(), StandardCopyOption.ATOMIC_MOVE);
        Files.deleteIfExists(record());
    }

    private void removeEmptyFolders(List<String> removed) throws IOException {
        Set<Path> folders = new HashSet<>();
        removed.forEach(r -> folders.add(root.resolve(r).getParent()));
        for (Path start : folders) {
            Path folder = start;
            while (!folder.equals(root) && Files.isDirectory(folder) && isEmpty(folder)) {
                Files.delete(folder);
                folder = folder.getParent();
            }
        }
    }

    private static boolean isEmpty(Path folder) throws IOException {
        try (Stream<Path> entries = Files.list(folder)) {
            return entries.findAny().isEmpty();
        }
    }

    static void delete(Path folder) throws IOException {
        if (!Files.exists(folder)) {
            return;
        }
        List<Path> all;
        try (Stream<Path> walk = Files.walk(folder)) {
            all = walk.sorted(Comparator.reverseOrder()).toList();
        }
        for (Path path : all) {
            Files.deleteIfExists(path);
        }
    }
}
