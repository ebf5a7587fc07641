package org.unimeros.cluster.client;

import java.util.List;
import java.util.Map;
import org.unimeros.cluster.http.ClusterKey;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.Messages.Health;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/** What a person asks of a coordinator. Thread-safe. */
public final class CoordinatorClient {

    private static final int READ_MILLIS = 10_000;

    private final HttpClient http;

    /** @throws UserMistake when the address is none */
    public CoordinatorClient(String url, ClusterKey key) {
        this.http = new HttpClient(url, key, READ_MILLIS);
    }

    public Health health() {
        return get("/v1/health", Health.class);
    }

    /** The workers that are there, by name. */
    public List<WorkerView> workers() {
        return List.of(get("/v1/workers", WorkerView[].class));
    }

    /** The runs of the last hour, oldest first. */
    public List<RunView> runs() {
        return List.of(get("/v1/runs", RunView[].class));
    }

    /** Asks a run to stop. */
    public void cancel(String run) {
        answered(() -> {
            http.post("/v1/runs/" + run + "/cancel", Map.of());
            return run;
        });
    }

    private <T> T get(String path, Class<T> type) {
        return answered(() -> http.get(path, type));
    }

    private interface Question<T> {
        T ask();
    }

    private <T> T answered(Question<T> question) {
        try {
            return question.ask();
        } catch (HttpClient.Unreachable e) {
            throw new ResourceFailure("the coordinator does not answer: " + e.getMessage(), e);
        } catch (HttpProblem e) {
            throw new UserMistake("the coordinator at " + http.base() + " refuses: " + e.getMessage(), e);
        }
    }
}
