package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.Arrays;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cli.Commands.Result;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.Worker;

/** Scripts that are launched as jobs, and what the commands say of them. */
@Timeout(120)
class SubmitCommandTest {

    private static final String KEY = "a key of this test only";

    @TempDir
    static Path root;

    private static Coordinator coordinator;
    private static Worker worker;
    private static String url;

    @BeforeAll
    static void start() throws IOException {
        Path data = Files.createDirectory(root.resolve("data"));
        Files.writeString(data.resolve("depots.csv"), "depot,city\n1,Rübenfeld\n2,Lindental\n3,Rübenfeld\n");
        coordinator = new Coordinator(new Coordinator.Config(null, 0, ClusterAccess.of(KEY)), InstantSource.system());
        url = coordinator.start();
        worker = new Worker(
                new Worker.Config(url, null, null, 0, 1, 1, 100 << 20, root.resolve("scratch"), ClusterAccess.of(KEY)));
        worker.start();
    }

    @AfterAll
    static void end() {
        worker.close();
        coordinator.close();
    }

    private static Result run(String... args) {
        return Commands.run(Terminal.NONE, Map.of("UNIMEROS_CLUSTER_KEY", KEY, "UNIMEROS_COORDINATOR", url), args);
    }

    private static Path script(String name, String text) throws IOException {
        return Files.writeString(root.resolve(name), text);
    }

    private static String last(String text) {
        String[] lines = text.strip().split("\n");
        return lines[lines.length - 1];
    }

    @Test
    void aScriptIsCarriedOutOnAWorkerAndItsRowsArePrintedHere() throws IOException {
        Path script = script(
                "cities.sql", "select city, count(*) as depots from depots where depot <= :most group by 1 order by 1");
        String[] submit = {
            "submit",
            "--file",
            script.toString(),
            "--data",
            root.resolve("data").toString(),
            "--param",
            "most=2",
            "--set",
            "runs.folder="
        };
        for (String place : new String[] {"worker", "here"}) {
            String[] args = Arrays.copyOf(submit, submit.length + 2);
            args[submit.length] = "--main-on";
            args[submit.length + 1] = place;
            Result result = run(args);
            assertEquals(0, result.code(), result.err());
            assertEquals("city       depots\n---------  ------\nLindental       1\nRübenfeld       1\n", result.out());
            assertEquals("", result.err());
        }
    }

    @Test
    void aJobIsListedShownAndItsLogReadAgain() throws IOException {
        Path script = script("one.sql", "select 7 as parcels");
        Result detached =
                run("submit", "-f", script.toString(), "--name", "seven", "--detach", "--set", "runs.folder=");
        assertEquals(0, detached.code(), detached.err());
        String id = detached.out().strip();
        assertTrue(detached.err().contains("unimeros logs --follow " + id), detached.err());

        Result followed = run("logs", "--follow", id);
        assertEquals(0, followed.code(), followed.err());
        assertEquals("parcels\n-------\n      7\n", followed.out());
        assertEquals(followed.out(), run("logs", id).out());

        Result shown = run("job", id);
        assertTrue(shown.out().contains("state       done\n"), shown.out());
        assertTrue(shown.out().contains("select 7 as parcels"), shown.out());
        assertTrue(run("jobs").out().contains("seven"), "by its name");
        JsonNode json = new ObjectMapper().readTree(run("job", id, "--json").out());
        assertEquals("seven", json.get("name").asText());
        assertEquals(0, json.get("exitCode").asInt());
        assertEquals(1, json.get("runs").size());
        assertTrue(run("jobs", "--json").out().contains("\"job\":\"" + id + "\""));
        assertTrue(run("runs").out().contains(id), "runs name their jobs");
    }

    @Test
    void aScriptThatIsWrongFailsItsJobWithItsLineAndItsExitCode() throws IOException {
        Path script = script("wrong.sql", "select nothing from depots");
        Result result = run(
                "submit",
                "-f",
                script.toString(),
                "--data",
                root.resolve("data").toString());
        assertEquals(3, result.code());
        assertEquals("", result.out());
        assertTrue(result.err().startsWith("unimeros: "), result.err());
        assertTrue(result.err().contains("nothing"), result.err());
        assertEquals(
                "unimeros: the job failed: its main program ended with exit code 3",
                last(result.err()),
                "what is wrong is not said twice");
        String id = last(run("jobs").out()).split(" ")[0];
        assertTrue(run("job", id).out().contains("exit code 3: "), "but where it was not seen");
    }

    @Test
    void aJobThatIsCancelledEndsItsFollowerWithACodeOfItsOwn() throws IOException {
        Path script = script(
                "long.sql",
                "select count(*) as n from unnest(series(1, 3000000)) as a(x) join unnest(series(1, 3000000)) as b(y) on x < y");
        String id = run("submit", "-f", script.toString(), "--detach", "--set", "runs.folder=")
                .out()
                .strip();
        Result cancelled = run("cancel", id);
        assertEquals(0, cancelled.code(), cancelled.err());
        assertEquals("job " + id + " was asked to stop\n", cancelled.err());
        Result followed = run("logs", "--follow", id);
        assertEquals(6, followed.code());
        assertEquals("unimeros: the job was cancelled: on request", last(followed.err()));
    }

    @Test
    void mistakesAreOneLineEach() throws IOException {
        Path script = script("right.sql", "select 1 as n");
        Map<String[], String> mistakes = Map.of(
                new String[] {"submit"}, "name the jar of a program, or a script of SQL with -f",
                new String[] {"submit", "nothing.jar"}, "cannot read the jar nothing.jar",
                new String[] {"submit", "-f", "nothing.sql"}, "cannot read the script nothing.sql",
                new String[] {"submit", "-f", script.toString(), "x.jar"}, "not both",
                new String[] {"submit", "-f", script.toString(), "--detach", "--main-on", "here"}, "leave out --detach",
                new String[] {"submit", "-f", script.toString(), "--set", "split.tarket=1"}, "split.target",
                new String[] {"submit", "-f", script.toString(), "--attach", "nothing.txt"},
                        "cannot attach nothing.txt",
                new String[] {"job", "nothing"}, "there is no job nothing; `unimeros jobs` lists them",
                new String[] {"logs", "nothing"}, "there is no job nothing; `unimeros jobs` lists them");
        mistakes.forEach((args, message) -> {
            Result result = run(args);
            assertEquals(3, result.code(), result.err());
            assertTrue(result.err().startsWith("unimeros: ") && result.err().contains(message), result.err());
            assertEquals(1, result.err().lines().count(), result.err());
        });
        Result unknown = run("submit", "--mainon", "x");
        assertEquals(2, unknown.code(), "an option that is mistyped is not an argument of the program");
    }
}
