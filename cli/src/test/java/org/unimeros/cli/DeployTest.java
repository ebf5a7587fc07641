package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.unimeros.cluster.http.ClusterAccess;
import picocli.CommandLine;

/** The manifests for a container orchestrator fit together, and their commands are ones that there are. */
class DeployTest {

    private static final Path FOLDER = Path.of("..", "deploy");

    /** A value in nested maps and lists, by names and positions: {@code at(doc, "spec", "containers", 0)}. */
    private static Object at(Object from, Object... path) {
        Object at = from;
        for (Object step : path) {
            at = step instanceof Integer i ? ((List<?>) at).get(i) : ((Map<?, ?>) at).get(step);
            if (at == null) {
                throw new AssertionError("there is no " + step + " of " + List.of(path));
            }
        }
        return at;
    }

    static List<Object> documents() {
        try (Stream<Path> files = Files.list(FOLDER)) {
            List<Object> all = new ArrayList<>();
            for (Path file :
                    files.filter(f -> f.toString().endsWith(".yaml")).sorted().toList()) {
                new Load(LoadSettings.builder().setLabel(file.toString()).build())
                        .loadAllFromString(Files.readString(file))
                        .forEach(all::add);
            }
            return all;
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static Object find(String kind, String name) {
        return documents().stream()
                .filter(d ->
                        at(d, "kind").equals(kind) && at(d, "metadata", "name").equals(name))
                .findFirst()
                .orElseThrow(() -> new AssertionError("there is no " + kind + " " + name));
    }

    private static List<Object> pods() {
        return documents().stream()
                .filter(d -> List.of("StatefulSet", "Deployment").contains(at(d, "kind")))
                .toList();
    }

    @ParameterizedTest
    @MethodSource("documents")
    void everyDocumentSaysWhatItIs(Object document) {
        assertFalse(at(document, "apiVersion").toString().isBlank());
        assertTrue(at(document, "metadata", "name").toString().startsWith("unimeros-"));
        assertEquals("unimeros", at(document, "metadata", "labels", "app"));
        at(document, "spec");
    }

    @ParameterizedTest
    @MethodSource("pods")
    void podsRunCommandsThatThereAreAndMountWhatIsThere(Object pod) {
        assertEquals(at(pod, "spec", "selector", "matchLabels"), at(pod, "spec", "template", "metadata", "labels"));
        Object container = at(pod, "spec", "template", "spec", "containers", 0);
        List<String> args =
                ((List<?>) at(container, "args")).stream().map(Object::toString).toList();
        Object command = args.get(0).equals("worker") ? new WorkerCommand() : new CoordinatorCommand();
        new CommandLine(command).parseArgs(args.subList(1, args.size()).toArray(new String[0]));
        int port = (int) at(container, "ports", 0, "containerPort");
        assertEquals(String.valueOf(port), args.get(args.indexOf("--port") + 1));
        assertEquals(ClusterAccess.KEY_VARIABLE, at(container, "env", 0, "name"));
        assertEquals("/v1/health", at(container, "readinessProbe", "httpGet", "path"));
        List<Object> volumes = new ArrayList<>((List<?>) at(pod, "spec", "template", "spec", "volumes"));
        if (((Map<?, ?>) at(pod, "spec")).get("volumeClaimTemplates") instanceof List<?> claims) {
            claims.forEach(claim -> volumes.add(at(claim, "metadata")));
        }
        List<Object> names = volumes.stream().map(v -> at(v, "name")).toList();
        for (Object mount : (List<?>) at(container, "volumeMounts")) {
            assertTrue(names.contains(at(mount, "name")), "no volume for " + mount);
        }
    }

    @Test
    void workersFindTheCoordinatorAndHaveTimeToLeave() {
        Object worker = find("Deployment", "unimeros-worker");
        List<?> args = (List<?>) at(worker, "spec", "template", "spec", "containers", 0, "args");
        Object service = find("Service", "unimeros-coordinator");
        assertEquals(
                "http://" + at(service, "metadata", "name") + ":" + at(service, "spec", "ports", 0, "port"),
                args.get(args.indexOf("--coordinator") + 1));
        Object coordinator = find("StatefulSet", "unimeros-coordinator");
        assertEquals(at(service, "spec", "selector"), at(coordinator, "spec", "selector", "matchLabels"));
        assertEquals(1, at(coordinator, "spec", "replicas"));
        int drain = Integer.parseInt(args.get(args.indexOf("--drain") + 1).toString());
        assertTrue((int) at(worker, "spec", "template", "spec", "terminationGracePeriodSeconds") > drain);
    }

    @Test
    void theAutoscalerCountsSlotsAsWorkersHaveThem() {
        Object scaler = find("HorizontalPodAutoscaler", "unimeros-worker");
        Object target =
                find("Deployment", at(scaler, "spec", "scaleTargetRef", "name").toString());
        List<?> args = (List<?>) at(target, "spec", "template", "spec", "containers", 0, "args");
        assertEquals(
                args.get(args.indexOf("--slots") + 1),
                at(scaler, "spec", "metrics", 0, "external", "target", "averageValue"));
        assertEquals("unimeros_slots_wanted", at(scaler, "spec", "metrics", 0, "external", "metric", "name"));
    }
}
