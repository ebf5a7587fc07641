package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.nio.file.Path;
import java.util.function.Function;
import java.util.function.Supplier;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.FileStore;
import org.unimeros.cluster.files.FileTree;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.Messages.FileSource;

/** The files of jobs: clients bring them, and workers ask where they find them. Thread-safe. */
final class FileDesk {

    private final FileStore files;
    private final FileTree tree = new FileTree();
    private final Function<Call, WorkerEntry> workers;
    private final Supplier<String> url;

    /**
     * @param workers the worker that a request is from, which is there
     * @param url of this process
     */
    FileDesk(Path folder, Function<Call, WorkerEntry> workers, Supplier<String> url) {
        this.files = new FileStore(folder);
        this.workers = workers;
        this.url = url;
    }

    void routes(HttpService http) {
        http.on("HEAD", "/v1/files/{hash}", this::fileIsThere);
        http.on("GET", "/v1/files/{hash}", this::file);
        http.onFile("PUT", "/v1/files/{hash}", this::takeFile);
        http.on("GET", "/v1/workers/{worker}/files/{hash}", this::fileSource);
        http.on("PUT", "/v1/workers/{worker}/files/{hash}", this::workerHasFile);
    }

    boolean has(String hash) {
        return files.find(hash).isPresent();
    }

    /** Forgets a worker at an address. */
    void gone(String worker) {
        tree.gone(worker);
    }

    /** Removes all files. */
    void delete() {
        files.delete();
    }

    private Path file(String hash) {
        return files.find(hash).orElseThrow(() -> new HttpProblem(404, "there is no file of that content"));
    }

    private void fileIsThere(Call call) {
        file(call.path("hash"));
        call.done();
    }

    private void file(Call call) throws IOException {
        call.answer(file(call.path("hash")));
    }

    private void takeFile(Call call) throws IOException {
        String hash = call.path("hash");
        if (!FileRef.isHash(hash)) {
            throw new HttpProblem(400, "a file is named by the SHA-256 of its bytes, 64 hexadecimal digits");
        }
        files.add(hash, call.stream(), HttpService.MOST_FILE);
        call.done();
    }

    private void fileSource(Call call) throws IOException {
        workers.apply(call);
        String hash = call.path("hash");
        if (files.find(hash).isPresent()) {
            tree.has(hash, url.get());
        }
        String source = tree.source(hash);
        if (source == null) {
            throw new HttpProblem(404, "nobody has the file " + hash);
        }
        call.answer(new FileSource(source));
    }

    private void workerHasFile(Call call) {
        tree.has(call.path("hash"), workers.apply(call).url());
        call.done();
    }
}
