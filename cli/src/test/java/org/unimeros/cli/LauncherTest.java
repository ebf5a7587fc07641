package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The part of the launchers that looks for a JDK, with made-up ones. */
class LauncherTest {

    @TempDir
    Path root;

    private void jdk(String folder, String version) throws IOException {
        Path home = Files.createDirectories(root.resolve(folder));
        Files.writeString(home.resolve("release"), "IMPLEMENTOR=\"X\"\nJAVA_VERSION=\"" + version + "\"\n");
        Path java = Files.createDirectories(home.resolve("bin")).resolve("java");
        Files.writeString(java, "#!/bin/sh\n");
        Files.setPosixFilePermissions(java, PosixFilePermissions.fromString("rwxr-xr-x"));
    }

    /** What the script finds when these folders are all there is. */
    private String find(String javaHome, String path, String usual) throws Exception {
        String script = Files.readString(Path.of(System.getProperty("unimeros.root"), "config/find-jdk.sh"))
                .replace("/usr/lib/jvm/*", root.resolve(usual) + "/*")
                .replaceAll("/(usr/java|opt/java)/\\* |/opt/jdk\\* ", "");
        Path file = root.resolve("run.sh");
        Files.writeString(file, "fail() { echo \"failed: $1\"; exit 5; }\n" + script + "echo \"$jdk\"\n");
        ProcessBuilder builder = new ProcessBuilder("/bin/bash", file.toString()).redirectErrorStream(true);
        builder.environment().clear();
        builder.environment().put("PATH", root.resolve(path) + "/bin:/usr/bin:/bin");
        builder.environment()
                .put(
                        "JAVA_HOME",
                        javaHome.isEmpty() ? "" : root.resolve(javaHome).toString());
        Process process = builder.start();
        String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertTrue(process.waitFor(20, TimeUnit.SECONDS));
        return out.strip();
    }

    @Test
    void theNewestJdkIsTakenWhereverItIs() throws Exception {
        jdk("old", "17.0.15");
        jdk("ancient", "1.8.0_400");
        jdk("usual/one", "21.0.2");
        jdk("usual/two", "25");
        jdk("own", "23.0.1");
        assertEquals(root.resolve("usual/two").toString(), find("own", "old", "usual"));
        assertEquals(root.resolve("own").toString(), find("own", "old", "nothing"));
    }

    @Test
    void withoutANewEnoughJdkItSaysWhatToDo() throws Exception {
        jdk("old", "17.0.15");
        jdk("usual/ancient", "1.8.0_400");
        String said = find("old", "old", "usual");
        assertTrue(said.startsWith("failed: no JDK of version 21 or newer was found; install one"), said);
    }
}
