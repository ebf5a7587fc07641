package org.unimeros;

import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.page.PageServer;

/** The folder of the records of an engine: how many are kept, and their pages where they are served. Thread-safe. */
final class KeptRuns implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(KeptRuns.class);

    /** A folder has many records; they are not looked through more often. */
    private static final long PAUSE_NANOS = 60_000_000_000L;

    private final Settings settings;
    private final Optional<RunFolder> folder;
    private final Optional<PageServer> pages;
    private final AtomicLong last = new AtomicLong();

    KeptRuns(Settings settings) {
        this.settings = settings;
        String place = settings.get(Setting.RUNS_FOLDER.name());
        this.folder = place.isEmpty() ? Optional.empty() : Optional.of(new RunFolder(Path.of(place)));
        String port = settings.get(Setting.PAGE_PORT.name());
        this.pages = port.isEmpty() ? Optional.empty() : Optional.of(serve(Integer.parseInt(port)));
    }

    private PageServer serve(int port) {
        RunFolder records = folder.orElseThrow(
                () -> new UserMistake("page.port needs records of runs, and runs.folder is empty; give it a folder"));
        return new PageServer(records, Settings.defaults().asMap(), port);
    }

    /** Where the pages are, if they are served. */
    Optional<String> page() {
        return pages.map(PageServer::url);
    }

    /** Removes records beyond the limits. */
    void removeOld() {
        long before = last.get();
        long now = System.nanoTime();
        boolean isDue = before == 0 || now - before > PAUSE_NANOS;
        if (folder.isPresent() && isDue && last.compareAndSet(before, now)) {
            try {
                Setting.limits(settings.get(Setting.RUNS_KEEP.name())).apply(folder.get());
            } catch (UncheckedIOException | ResourceFailure e) {
                LOG.warn("records of runs are not removed: {}", e.getMessage());
            }
        }
    }

    @Override
    public void close() {
        pages.ifPresent(PageServer::close);
    }
}
