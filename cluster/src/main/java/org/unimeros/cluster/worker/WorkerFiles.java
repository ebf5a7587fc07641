package org.unimeros.cluster.worker;

import java.io.IOException;
import java.nio.file.Path;
import java.util.Optional;
import java.util.function.Supplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.FileStore;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.Messages.FileSource;
import org.unimeros.engine.error.ResourceFailure;

/** The files of jobs on a worker: each is fetched once, and given to other workers. Thread-safe. */
final class WorkerFiles {

    private static final Logger LOG = LoggerFactory.getLogger(WorkerFiles.class);
    private static final int READ_MILLIS = 30_000;

    private final HttpClient coordinator;
    private final ClusterAccess access;
    private final FileStore files;
    private final Supplier<String> worker;

    /** @param worker the name that the coordinator gave */
    WorkerFiles(HttpClient coordinator, ClusterAccess access, Path folder, Supplier<String> worker) {
        this.coordinator = coordinator;
        this.access = access;
        this.files = new FileStore(folder);
        this.worker = worker;
    }

    /** A file of a job, fetched from where the coordinator says when it is not here yet. */
    Path file(FileRef ref) {
        Optional<Path> here = files.find(ref.hash());
        if (here.isPresent()) {
            return here.get();
        }
        String path = "/v1/files/" + ref.hash();
        try {
            String source = coordinator
                    .get("/v1/workers/" + worker.get() + path.substring("/v1".length()), FileSource.class)
                    .url();
            Path fetched;
            try {
                fetched = fetch(new HttpClient(source, access, READ_MILLIS), path, ref);
            } catch (HttpClient.Unreachable | HttpProblem | ResourceFailure e) {
                LOG.info("{} has no {}: {}", source, ref.name(), e.getMessage());
                fetched = fetch(coordinator, path, ref);
            }
            coordinator.call(
                    "PUT", "/v1/workers/" + worker.get() + path.substring("/v1".length()), new byte[0], in -> null);
            return fetched;
        } catch (HttpClient.Unreachable | HttpProblem e) {
            throw new ResourceFailure("cannot fetch " + ref.name() + ", which the job brings: " + e.getMessage(), e);
        }
    }

    private Path fetch(HttpClient from, String path, FileRef ref) {
        return from.call("GET", path, null, in -> files.add(ref.hash(), in, HttpService.MOST_FILE));
    }

    /** Gives a file to another worker. */
    void answer(Call call) throws IOException {
        call.answer(
                files.find(call.path("hash")).orElseThrow(() -> new HttpProblem(404, "there is no such file here")));
    }

    /** Removes all files. */
    void delete() {
        files.delete();
    }
}
