package org.unimeros.cluster.job;

import java.io.IOException;
import java.nio.file.FileVisitResult;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.Function;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * The files of a job as its main program sees them: links to where they are kept, by name, in a folder that goes with the program.
 *
 * <pre>
 * FOLDER/attached/file/NAME       attachments
 *                /archive/NAME    archives, packed
 *                /code/NAME       jars
 *       /work                     where it works, if the folder that it asks for is not there
 * </pre>
 *
 * Engines of the program attach what they find there to their runs.
 */
public final class JobFolder implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(JobFolder.class);

    private static final Pattern ATTACHED = Pattern.compile("\\{attached:([^}]+)}");

    private final Path folder;
    private final Path work;
    private final List<Path> jars = new ArrayList<>();
    private final Map<String, Path> names = new TreeMap<>();

    /**
     * Lays out the files of a job.
     *
     * @param place where the file of a reference is
     */
    public JobFolder(Path folder, JobRequest job, Function<FileRef, Path> place) {
        this.folder = folder.toAbsolutePath();
        boolean done = false;
        try {
            for (FileRef.Role role : FileRef.Role.values()) {
                OwnerOnly.createFolders(of(attached(), role));
            }
            for (FileRef file : job.files()) {
                Path link = of(attached(), file.role()).resolve(file.name());
                names.put(file.name(), link);
                Files.createSymbolicLink(link, place.apply(file).toAbsolutePath());
                if (file.role() == FileRef.Role.CODE) {
                    jars.add(link);
                }
            }
            Path wanted = job.folder() == null ? null : Path.of(job.folder());
            boolean isThere = wanted != null && wanted.isAbsolute() && Files.isDirectory(wanted);
            this.work = isThere ? wanted : OwnerOnly.createFolders(this.folder.resolve("work"));
            done = true;
        } catch (IOException e) {
            throw new ResourceFailure("cannot lay out the files of a job in " + folder + ": " + e, e);
        } finally {
            if (!done) {
                close();
            }
        }
    }

    /** Where files of a role are within the folder of what is attached. */
    public static Path of(Path attached, FileRef.Role role) {
        return attached.resolve(role.name().toLowerCase(Locale.ROOT));
    }

    /** An argument in which {@code {attached:NAME}} is the path of an attachment. */
    String resolve(String argument) {
        return ATTACHED.matcher(argument)
                .replaceAll(found -> Matcher.quoteReplacement(Optional.ofNullable(names.get(found.group(1)))
                        .map(Path::toString)
                        .orElseThrow(() -> new ResourceFailure("an argument names " + found.group()
                                + ", and nothing is attached as that; attached are " + names.keySet()))));
    }

    Path attached() {
        return folder.resolve("attached");
    }

    Path work() {
        return work;
    }

    List<Path> jars() {
        return List.copyOf(jars);
    }

    /** Removes the folder; what its links lead to stays. */
    @Override
    public void close() {
        try {
            Files.walkFileTree(folder, new SimpleFileVisitor<>() {
                @Override
                public FileVisitResult visitFile(Path file, BasicFileAttributes attributes) throws IOException {
                    Files.delete(file);
                    return FileVisitResult.CONTINUE;
                }

                @Override
                public FileVisitResult postVisitDirectory(Path visited, IOException failure) throws IOException {
                    Files.delete(visited);
                    return FileVisitResult.CONTINUE;
                }
            });
        } catch (IOException e) {
            LOG.warn("cannot remove {}", folder, e);
        }
    }
}
