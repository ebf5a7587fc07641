package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.examples.data.DemoData;

/** What README, docs and help print as a command works on the demo data as it stands, and so does the first job of README. */
class PrintedExamplesTest {

    private static final Path ROOT = Path.of("..").toAbsolutePath().normalize();

    /** What needs a cluster or goes on until it is interrupted, which other tests have; a synopsis; or more than the demo data. */
    private static final Pattern ELSEWHERE = Pattern.compile(
            "…|\\bDIR\\b|\\bJOB\\b|\\bRUN\\b|\\bCMD\\b|\\bNAME\\b|--coordinator|UNIMEROS_COORDINATOR|unimeros (submit|jobs?|logs|cancel|"
                    + "cluster|coordinator|worker|workers|page|demo|demo-data)\\b|PATH|FILE|job\\.sql|--workers|\\| |unimeros-bench");

    @TempDir
    static Path work;

    @BeforeAll
    static void makeDemoData() throws IOException {
        DemoData.make(work.resolve("demo"), 6_000, 7, n -> {});
        Files.createDirectories(work.resolve("examples/programs"));
        for (String program : List.of("words.awk", "totals.py")) {
            Files.copy(
                    ROOT.resolve("examples/programs").resolve(program),
                    work.resolve("examples/programs").resolve(program));
        }
    }

    @Test
    void everyPrintedCommandWorksOnTheDemoData() throws Exception {
        Set<String> commands = new LinkedHashSet<>();
        for (String document : documents()) {
            commands.addAll(commandsOf(Files.readString(ROOT.resolve(document))));
        }
        commands.addAll(commandsOfHelp());
        List<String> wrong = new ArrayList<>();
        int run = 0;
        for (String command : commands) {
            if (!ELSEWHERE.matcher(command).find()) {
                run++;
                String problem = problem(command);
                if (!problem.isEmpty()) {
                    wrong.add(command + "\n    " + problem);
                }
            }
        }
        assertEquals("", String.join("\n", wrong));
        assertTrue(run > 20, run + " commands");
    }

    private static List<String> documents() throws IOException {
        try (Stream<Path> pages = Files.list(ROOT.resolve("docs"))) {
            return Stream.concat(Stream.of("README.md"), pages.map(page -> "docs/" + page.getFileName()))
                    .filter(page -> page.endsWith(".md"))
                    .sorted()
                    .toList();
        }
    }

    /** Links between documents lead to something. */
    @Test
    void linksLeadSomewhere() throws IOException {
        List<String> documents = new ArrayList<>(documents());
        documents.addAll(List.of("ARCHITECTURE.md", "CONTRIBUTING.md"));
        List<String> gone = new ArrayList<>();
        for (String document : documents) {
            Matcher link =
                    Pattern.compile("\\]\\(([^)#:]+)[^):]*\\)").matcher(Files.readString(ROOT.resolve(document)));
            while (link.find()) {
                if (!Files.exists(ROOT.resolve(document).resolveSibling(link.group(1)))) {
                    gone.add(document + ": " + link.group(1));
                }
            }
        }
        assertEquals(List.of(), gone);
    }

    /** Lines of code blocks, put together where a quote is open or a backslash ends the line, and code in the text. */
    private static List<String> commandsOf(String document) {
        List<String> commands = new ArrayList<>();
        Matcher blocks = Pattern.compile("(?s)```[a-z]*\n(.*?)```").matcher(document);
        while (blocks.find()) {
            commands.addAll(joined(blocks.group(1)));
        }
        Matcher inline = Pattern.compile("`(\\./unimeros [^`]+)`").matcher(document);
        while (inline.find()) {
            commands.add(inline.group(1));
        }
        return commands;
    }

    private static List<String> commandsOfHelp() {
        List<String> commands = new ArrayList<>();
        for (String name : List.of(
                "",
                "query",
                "inspect",
                "head",
                "explain",
                "diagnose",
                "report",
                "example",
                "functions",
                "settings",
                "mapreduce")) {
            String help = Commands.run(
                            Terminal.NONE, name.isEmpty() ? new String[] {"--help"} : new String[] {name, "--help"})
                    .out();
            int examples = help.lastIndexOf("\nExample");
            assertTrue(examples >= 0, name);
            commands.addAll(joined(help.substring(examples).replaceAll("\n(?=\\S)(?!Example)", " ")));
        }
        return commands;
    }

    private static List<String> joined(String block) {
        List<String> commands = new ArrayList<>();
        StringBuilder open = new StringBuilder();
        for (String line : block.split("\n")) {
            String text = open.isEmpty() ? line.strip().replaceFirst("^\\$ ", "") : line;
            if (open.isEmpty() && !text.matches("(\\./unimeros|unimeros|[A-Z_]+=\\S+ (\\./)?unimeros) .*")) {
                continue;
            }
            open.append(open.isEmpty() ? "" : "\n").append(text);
            boolean isQuoted = open.chars().filter(c -> c == '"').count() % 2 == 1;
            if (!isQuoted && !text.endsWith("\\")) {
                commands.add(open.toString());
                open.setLength(0);
            }
        }
        return commands;
    }

    /** Empty when a command ends well and says nothing on the side but what it does. */
    private static String problem(String command) throws IOException, InterruptedException {
        String script = "unimeros() { \"" + java()
                + "\" --enable-native-access=ALL-UNNAMED -cp \"$CLASSES\" org.unimeros.cli.Main \"$@\"; }\n"
                + "rm -rf out\n" + command.replace("./unimeros", "unimeros");
        ProcessBuilder builder = new ProcessBuilder("bash", "-c", script).directory(work.toFile());
        builder.environment().put("CLASSES", System.getProperty("java.class.path"));
        builder.redirectErrorStream(true);
        Process process = builder.start();
        String printed = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertTrue(process.waitFor(5, TimeUnit.MINUTES));
        return process.exitValue() == 0 ? "" : "exit " + process.exitValue() + ": " + printed.strip();
    }

    private static String java() {
        return Path.of(System.getProperty("java.home"), "bin", "java").toString();
    }

    @Test
    void theFirstJobOfReadmeWorksOnTheDemoData() throws Exception {
        String readme = Files.readString(ROOT.resolve("README.md"));
        Matcher block =
                Pattern.compile("(?s)## A first job\n+```java\n(.*?)```").matcher(readme);
        assertTrue(block.find());
        String program = "import org.unimeros.*;\n\nclass FirstJob {\n    public static void main(String[] args) {\n"
                + block.group(1) + "    }\n}\n";
        Files.writeString(work.resolve("FirstJob.java"), program);
        String problem = problem("\"" + java() + "\" -cp \"$CLASSES\" FirstJob.java > printed.txt");
        assertEquals("", problem);
        String printed = Files.readString(work.resolve("printed.txt"));
        assertTrue(printed.contains(" files of "), printed);
    }

    @Test
    void theDependenciesOfReadmeAreThoseOfTheBuild() throws IOException {
        String readme = Files.readString(ROOT.resolve("README.md"));
        String pom = Files.readString(ROOT.resolve("pom.xml"));
        Matcher dependency = Pattern.compile(
                        "<groupId>(.*?)</groupId>\\s*<artifactId>(.*?)</artifactId>\\s*<version>(.*?)</version>")
                .matcher(readme);
        List<String> found = new ArrayList<>();
        while (dependency.find()) {
            found.add(dependency.group(2));
            boolean isOurs = dependency.group(1).equals("org.unimeros");
            String built = isOurs
                    ? "<version>" + dependency.group(3) + "</version>"
                    : "<artifactId>" + dependency.group(2) + "</artifactId><version>" + dependency.group(3)
                            + "</version>";
            assertTrue(pom.contains(built), built);
        }
        assertEquals(List.of("unimeros", "slf4j-jdk14"), found);
    }

    @Test
    void theQueryOverFilesOfTheDocumentWorks() throws Exception {
        String document = Files.readString(ROOT.resolve("docs/SQL.md"));
        Matcher block =
                Pattern.compile("(?s)## Datasets and files.*?```sql\n(.*?)```").matcher(document);
        assertTrue(block.find());
        Path folder = Files.createDirectories(work.resolve("files"));
        Files.createDirectories(folder.resolve("scans"));
        Files.createDirectories(folder.resolve("late"));
        Files.writeString(folder.resolve("scans/2031-03-01.csv"), "depot;price\nD1;2,50\nD2;-\n");
        Files.writeString(folder.resolve("scans/2031-03-02.csv"), "depot;price\nD1;0,25\n");
        Files.writeString(folder.resolve("late/scans.csv"), "depot;price\nD2;n/a\nD1;1,00\n");
        Files.writeString(folder.resolve("totals.sql"), block.group(1) + " order by depot");
        assertEquals("", problem("cd files && unimeros query --csv -f totals.sql > totals.csv"));
        assertEquals("depot,total\nD1,3.75\nD2,\n", Files.readString(folder.resolve("totals.csv")));
    }
}
