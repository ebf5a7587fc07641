package org.unimeros;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.jar.Attributes;
import java.util.jar.JarEntry;
import java.util.jar.JarFile;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.engine.error.UserMistake;

/**
 * A program that is to be launched as a job: its classes, arguments, files and settings. Steps can be called in any order. Used by one
 * thread.
 */
public final class JobSpec {

    private static final int MOST_NAMED = 5;
    private static final String MAIN_NAME = constant("main");
    private static final String MAIN_TYPE = constant("([Ljava/lang/String;)V");

    private final Path jar;
    private String mainClass;
    private String name;
    private List<String> arguments = List.of();
    private Path folder = Path.of("").toAbsolutePath();
    private final Map<String, Path> attached = new LinkedHashMap<>();
    private final Map<String, String> settings = new LinkedHashMap<>();

    private JobSpec(Path jar, String mainClass) {
        this.jar = jar;
        this.mainClass = mainClass;
    }

    /**
     * A program in a jar; its main class is the one that the jar names, unless {@link #mainClass} does.
     *
     * @throws UserMistake when it is no jar that can be read
     */
    public static JobSpec jar(Path jar) {
        JobSpec spec = new JobSpec(jar.toAbsolutePath(), null);
        try (JarFile file = new JarFile(jar.toFile())) {
            spec.mainClass = file.getManifest() == null
                    ? null
                    : file.getManifest().getMainAttributes().getValue(Attributes.Name.MAIN_CLASS);
        } catch (IOException e) {
            throw new UserMistake("cannot read the jar " + jar + ": " + e.getMessage(), e);
        }
        return spec;
    }

    /** A program whose main class every worker has, since it is a part of this product. */
    public static JobSpec program(String mainClass) {
        return new JobSpec(null, mainClass);
    }

    /** The class whose {@code main} is called. */
    public JobSpec mainClass(String className) {
        this.mainClass = className;
        return this;
    }

    /** What people call the job; the simple name of its main class unless it is given. */
    public JobSpec name(String newName) {
        this.name = newName;
        return this;
    }

    /** What {@code main} is given; {@code {attached:NAME}} in it becomes the path of an attachment. */
    public JobSpec arguments(List<String> newArguments) {
        this.arguments = List.copyOf(newArguments);
        return this;
    }

    /**
     * Attaches a file by its name. One that ends in {@code .jar} has classes of the job, one that ends in {@code .zip} is unpacked where it
     * is opened. All engines of the program attach it to their runs.
     */
    public JobSpec attach(Path file) {
        if (!Files.isRegularFile(file)) {
            throw new UserMistake("cannot attach " + file + ": it is no file that can be read");
        }
        Path before = attached.putIfAbsent(file.getFileName().toString(), file.toAbsolutePath());
        if (before != null && !before.equals(file.toAbsolutePath())) {
            throw new UserMistake("two files that are attached are called " + file.getFileName() + ": " + before
                    + " and " + file.toAbsolutePath());
        }
        return this;
    }

    /** Changes a setting of the engines that the program opens. */
    public JobSpec set(String setting, String value) {
        Settings.defaults().with(setting, value);
        settings.put(setting, value);
        return this;
    }

    /** The folder that the program works in, where there is one of that path; the current one unless it is given. */
    public JobSpec folder(Path newFolder) {
        this.folder = newFolder.toAbsolutePath();
        return this;
    }

    JobPack pack() {
        JobPack pack = new JobPack();
        if (jar != null) {
            pack.add(jar.getFileName().toString(), jar, FileRef.Role.CODE);
        }
        attached.forEach((fileName, path) -> pack.add(fileName, path, role(fileName)));
        return pack;
    }

    private static FileRef.Role role(String fileName) {
        String lower = fileName.toLowerCase(Locale.ROOT);
        return lower.endsWith(".jar")
                ? FileRef.Role.CODE
                : lower.endsWith(".zip") ? FileRef.Role.ARCHIVE : FileRef.Role.FILE;
    }

    JobRequest request(String id, JobPack pack, boolean onCluster) {
        if (mainClass == null) {
            throw new UserMistake(jar.getFileName() + " names no main class; name one with --main" + candidates());
        }
        String memory = settings.getOrDefault(Setting.MAIN_MEMORY.name(), Setting.MAIN_MEMORY.defaultValue());
        return new JobRequest(
                id,
                name,
                mainClass,
                arguments,
                pack.refs(),
                settings,
                folder.toString(),
                Setting.bytes(memory, 0),
                onCluster);
    }

    /** The classes of the jar that seem to have a main method, found by the names that stand in them. */
    private String candidates() {
        List<String> found = new ArrayList<>();
        try (JarFile file = new JarFile(jar.toFile())) {
            for (JarEntry entry : Collections.list(file.entries())) {
                if (entry.getName().endsWith(".class")) {
                    try (InputStream in = file.getInputStream(entry)) {
                        String bytes = new String(in.readAllBytes(), StandardCharsets.ISO_8859_1);
                        if (bytes.contains(MAIN_NAME) && bytes.contains(MAIN_TYPE)) {
                            found.add(entry.getName()
                                    .replaceFirst("\\.class$", "")
                                    .replace('/', '.'));
                        }
                    }
                }
            }
        } catch (IOException e) {
            throw new UserMistake("cannot read the jar " + jar + ": " + e.getMessage(), e);
        }
        return found.isEmpty()
                ? ""
                : ", perhaps "
                        + String.join(
                                " or ",
                                found.stream().sorted().limit(MOST_NAMED).toList());
    }

    /** How a name stands in a class file: a tag, its length in two bytes, and itself. */
    private static String constant(String text) {
        return "\u0001" + (char) (text.length() >> 8) + (char) (text.length() & 0xff) + text;
    }
}
