package org.unimeros.cluster.worker;

import java.io.IOException;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.Map;
import java.util.logging.Level;
import java.util.logging.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.engine.error.UnimerosException;

/**
 * The main program of a worker that another process starts for itself. It ends with that process, however that came about: its
 * standard input is a pipe that nobody writes to, and that ends.
 */
public final class WorkerProcess {

    private static final org.slf4j.Logger LOG = LoggerFactory.getLogger(WorkerProcess.class);
    /** What tasks log, which goes to who asked for the run. Held, so that its level stays. */
    private static final Logger TASK_LOG = Logger.getLogger("unimeros.task");

    private static final int FAILED = 1;

    private WorkerProcess() {}

    /** Arguments are {@code name=value} for coordinator, slots, programs, memory in bytes, scratch, and the host to listen on, if that is another one. */
    public static void main(String[] args) throws InterruptedException {
        // Before anything is logged, so that lines of the log that tasks write are taken as well.
        TaskPrints.install();
        // Its log is read when something is wrong.
        Logger.getLogger("").setLevel(Level.WARNING);
        TASK_LOG.setLevel(Level.INFO);
        Map<String, String> given = new HashMap<>();
        for (String arg : args) {
            given.put(arg.substring(0, arg.indexOf('=')), arg.substring(arg.indexOf('=') + 1));
        }
        try (Worker worker = new Worker(new Worker.Config(
                given.get("coordinator"),
                given.get("host"),
                null,
                0,
                Integer.parseInt(given.get("slots")),
                Integer.parseInt(given.get("programs")),
                Long.parseLong(given.get("memory")),
                Path.of(given.get("scratch")),
                ClusterAccess.from(System.getenv())))) {
            Thread watch = new Thread(() -> endWithParent(worker), "unimeros-parent");
            watch.setDaemon(true);
            watch.start();
            worker.start();
            worker.await();
        } catch (UnimerosException e) {
            System.err.println(e.getMessage());
            System.exit(FAILED);
        }
    }

    private static void endWithParent(Worker worker) {
        try {
            while (System.in.read() >= 0) {
                // nothing is said
            }
        } catch (IOException e) {
            LOG.debug("that is the end as well", e);
        }
        worker.close();
        System.exit(0);
    }
}
