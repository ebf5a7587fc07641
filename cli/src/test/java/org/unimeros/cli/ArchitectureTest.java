package org.unimeros.cli;

import static com.tngtech.archunit.core.domain.JavaClass.Predicates.belongToAnyOf;
import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.tngtech.archunit.base.DescribedPredicate;
import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.domain.JavaModifier;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.library.Architectures;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.File;
import java.io.IOException;
import java.io.InputStream;
import java.io.InvalidClassException;
import java.io.ObjectInputFilter;
import java.io.ObjectInputStream;
import java.io.ObjectOutputStream;
import java.io.ObjectStreamClass;
import java.io.OutputStream;
import java.io.Serializable;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;

/** The house stands as ARCHITECTURE.md draws it. */
class ArchitectureTest {

    private static final Path ROOT = Path.of(System.getProperty("unimeros.root"));

    private static final JavaClasses ALL = new ClassFileImporter()
            .withImportOption(new ImportOption.DoNotIncludeTests())
            .importPackages("org.unimeros");

    @Test
    void modulesUseOnlyThoseBelowThem() {
        assertTrue(ALL.size() > 150, "only " + ALL.size() + " classes were found");
        Architectures.layeredArchitecture()
                .consideringOnlyDependenciesInAnyPackage("org.unimeros..")
                .layer("engine")
                .definedBy("org.unimeros.engine..")
                .layer("sql")
                .definedBy("org.unimeros.sql..")
                .layer("storage")
                .definedBy("org.unimeros.storage..")
                .layer("insight")
                .definedBy("org.unimeros.insight..")
                .layer("cluster")
                .definedBy("org.unimeros.cluster..")
                .layer("api")
                .definedBy("org.unimeros")
                .layer("examples")
                .definedBy("org.unimeros.examples..")
                .layer("cli")
                .definedBy("org.unimeros.cli..")
                .whereLayer("cli")
                .mayNotBeAccessedByAnyLayer()
                .whereLayer("examples")
                .mayOnlyBeAccessedByLayers("cli")
                .whereLayer("api")
                .mayOnlyBeAccessedByLayers("examples", "cli")
                .whereLayer("insight")
                .mayOnlyBeAccessedByLayers("api", "examples", "cli")
                .whereLayer("cluster")
                .mayOnlyBeAccessedByLayers("api", "cli")
                .whereLayer("storage")
                .mayOnlyBeAccessedByLayers("cluster", "api", "examples", "cli")
                .whereLayer("sql")
                .mayOnlyBeAccessedByLayers("api")
                .check(ALL);
    }

    @Test
    void packagesDoNotImportEachOtherInACircle() {
        slices().matching("org.unimeros.(**)").should().beFreeOfCycles().check(ALL);
    }

    @Test
    void theEngineKnowsNoFilesNetworkFormatsOrClock() {
        DescribedPredicate<JavaClass> outside = JavaClass.Predicates.resideInAnyPackage(
                        "java.nio.file..", "java.net..", "java.io..")
                .and(DescribedPredicate.not(belongToAnyOf(IOException.class, Serializable.class, StringWriter.class)));
        noClasses()
                .that()
                .resideInAPackage("org.unimeros.engine..")
                .and()
                .resideOutsideOfPackages("org.unimeros.engine.own..", "org.unimeros.engine.record..")
                .and()
                // What is said of functions is text beside the classes.
                .doNotHaveSimpleName("FunctionTexts")
                .should()
                .dependOnClassesThat(outside)
                .as("the engine works in memory; JSON text is parsed and written there")
                .check(ALL);
        noClasses()
                .that()
                .resideInAnyPackage("org.unimeros.engine.own..", "org.unimeros.engine.record..")
                .should()
                .dependOnClassesThat(outside.and(DescribedPredicate.not(belongToAnyOf(
                        ByteArrayInputStream.class,
                        ByteArrayOutputStream.class,
                        InputStream.class,
                        InvalidClassException.class,
                        ObjectInputFilter.class,
                        ObjectInputStream.class,
                        ObjectOutputStream.class,
                        ObjectStreamClass.class,
                        OutputStream.class))))
                .as("own code is turned into bytes and back in memory")
                .check(ALL);
        noClasses()
                .that()
                .resideInAPackage("org.unimeros.engine..")
                .should()
                .callMethod(System.class, "currentTimeMillis")
                .orShould()
                .callMethod(System.class, "nanoTime")
                .check(ALL);
    }

    /** Datasets in another kind of store are read and written by the same formats and publications. */
    @Test
    void filesOfDatasetsAreReachedThroughStores() {
        noClasses()
                .that()
                .resideInAnyPackage("org.unimeros.storage.format..", "org.unimeros.storage.commit..")
                .should()
                .dependOnClassesThat(belongToAnyOf(Path.class, Files.class, File.class, FileChannel.class))
                .check(ALL);
    }

    @Test
    void librariesStayInTheirPackages() {
        classes()
                .that()
                .resideInAPackage("org.unimeros.engine..")
                .should()
                .onlyDependOnClassesThat()
                .resideInAnyPackage(
                        "org.unimeros.engine..",
                        "java..",
                        "org.slf4j..",
                        "com.github.luben.zstd..",
                        "com.fasterxml.jackson.core..")
                .check(ALL);
        noClasses()
                .that()
                .resideOutsideOfPackage("org.unimeros.sql..")
                .should()
                .dependOnClassesThat()
                .resideInAPackage("net.sf.jsqlparser..")
                .check(ALL);
        noClasses()
                .that()
                .resideOutsideOfPackage("org.unimeros.storage.format.parquet..")
                .should()
                .dependOnClassesThat()
                .resideInAnyPackage("dev.hardwood..", "org.apache.parquet..")
                .check(ALL);
        noClasses()
                .that()
                .resideOutsideOfPackages("org.unimeros.insight.chart..", "org.unimeros.benchmarks..")
                .should()
                .dependOnClassesThat()
                .resideInAnyPackage("org.knowm..", "org.apache.batik..")
                .check(ALL);
        noClasses()
                .that()
                .resideOutsideOfPackage("org.unimeros.cli..")
                .should()
                .dependOnClassesThat()
                .resideInAPackage("picocli..")
                .check(ALL);
        noClasses()
                .that()
                .resideOutsideOfPackage("org.unimeros.cluster.http..")
                .should()
                .dependOnClassesThat()
                .resideInAPackage("org.eclipse.jetty..")
                .check(ALL);
        noClasses()
                .that()
                .resideOutsideOfPackage("org.unimeros.cluster.wire..")
                .should()
                .dependOnClassesThat()
                .resideInAPackage("com.fasterxml.jackson.databind..")
                .check(ALL);
    }

    /** What of the engine whoever writes jobs gets to see, beside the exceptions; anything else would have to stay as it is for ever. */
    private static final Set<String> SHOWN = Set.of(
            "org.unimeros.engine.data.Schema",
            "org.unimeros.engine.data.Bytes",
            // own functions and formats that work on whole columns
            "org.unimeros.engine.data.Batch",
            "org.unimeros.engine.data.Column",
            "org.unimeros.engine.record.TextSlice",
            // what a listener is told
            "org.unimeros.engine.run.RunListener");

    @Test
    void thePublicInterfaceShowsNoClassOfALibraryAndNoOtherOfTheEngine() {
        Set<String> seen = new TreeSet<>();
        for (JavaClass type : ALL) {
            boolean isPublic = type.getModifiers().contains(JavaModifier.PUBLIC)
                    && Set.of("org.unimeros", "org.unimeros.code").contains(type.getPackageName());
            if (isPublic) {
                type.getMethods().stream()
                        .filter(m -> m.getModifiers().contains(JavaModifier.PUBLIC)
                                && !m.getModifiers().contains(JavaModifier.SYNTHETIC))
                        .flatMap(m -> Stream.concat(m.getParameterTypes().stream(), Stream.of(m.getReturnType())))
                        .flatMap(t -> t.getAllInvolvedRawTypes().stream())
                        .map(JavaClass::getBaseComponentType)
                        .filter(t -> !t.isPrimitive() && !t.getPackageName().startsWith("java"))
                        .filter(t -> !t.getPackageName().equals("org.unimeros")
                                && !t.getPackageName().equals("org.unimeros.code"))
                        .forEach(t -> seen.add(t.getName()));
            }
        }
        assertEquals(new TreeSet<>(SHOWN), seen);
    }

    private static String read(Path file) {
        try {
            return Files.readString(file);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static List<Path> files(String folder, String ending) throws IOException {
        try (Stream<Path> all = Files.walk(ROOT.resolve(folder))) {
            return all.filter(file -> file.toString().endsWith(ending))
                    .filter(file -> !file.toString().contains("/target/"))
                    .toList();
        }
    }

    /** Pages and package descriptions that lead to classes lead to some that are there. */
    @Test
    void documentsNameWhatIsThere() throws IOException {
        Set<String> types = new TreeSet<>(Set.of("LocalDate", "BigDecimal", "JSqlParser", "FastCSV"));
        Set<String> words = new TreeSet<>();
        List<Path> sources = files(".", ".java");
        for (Path source : sources) {
            String text = read(source);
            Pattern.compile("\\b(?:class|record|interface|enum) ([A-Z]\\w*)")
                    .matcher(text)
                    .results()
                    .forEach(found -> types.add(found.group(1)));
            words.addAll(List.of(text.split("\\W+")));
        }
        Set<String> gone = new TreeSet<>();
        List<Path> pages = new ArrayList<>(files("docs/design", ".md"));
        pages.add(ROOT.resolve("ARCHITECTURE.md"));
        for (Path page : pages) {
            Pattern.compile("`([A-Z]\\w*[a-z]\\w*)(?:\\.(\\w+))?[^`]*`")
                    .matcher(read(page))
                    .results()
                    .filter(found -> !types.contains(found.group(1))
                            || found.group(2) != null && !words.contains(found.group(2)))
                    .forEach(found -> gone.add(page.getFileName() + ": " + found.group()));
        }
        for (Path page :
                sources.stream().filter(f -> f.endsWith("package-info.java")).toList()) {
            Pattern.compile("\\b[A-Z][a-z0-9]+[A-Z]\\w*\\b")
                    .matcher(read(page))
                    .results()
                    .filter(found -> !types.contains(found.group()))
                    .forEach(found -> gone.add(ROOT.relativize(page) + ": " + found.group()));
        }
        assertEquals(Set.of(), gone);
        assertTrue(pages.size() > 10, pages.toString());
    }
}
