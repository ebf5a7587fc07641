package org.unimeros.cluster.coordinator;

import org.unimeros.engine.run.RunListener;

/** What keeps what happens in the runs of a coordinator, and shows it to people. Thread-safe. */
public interface RunPages {

    /**
     * What is told all that happens in a run, in order; the end of the run is the last.
     *
     * @param goesOn whether the run began in an earlier process, which was told of what happened before
     */
    RunListener recorder(String run, boolean goesOn);

    /**
     * What a browser gets.
     *
     * @param path below the root of the coordinator, without a slash before it; empty for the root itself
     * @param query what stands behind the question mark, or null
     */
    Shown show(String path, String query);

    /**
     * An answer to a browser.
     *
     * @param status of HTTP
     */
    record Shown(int status, String type, String text) {}
}
