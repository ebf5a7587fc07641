package org.unimeros.cli;

import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.unimeros.Engine;
import org.unimeros.engine.run.RunEvent;

/** Lets a run that is interrupted from the keyboard clean up before the process ends. */
final class Interrupts {

    private static final long PATIENCE_SECONDS = 10;

    private Interrupts() {}

    /** Closes the engine when the process is asked to end, and gives its runs some time to undo what they began. */
    static void cancelOnExit(Engine engine, Console console) {
        CountDownLatch ended = new CountDownLatch(1);
        engine.watch(event -> {
            if (event instanceof RunEvent.RunEnded) {
                ended.countDown();
            }
        });
        Thread hook = new Thread(
                () -> {
                    if (engine.isBusy()) {
                        console.interrupted();
                        engine.close();
                        await(ended);
                    }
                },
                "unimeros-interrupt");
        Runtime.getRuntime().addShutdownHook(hook);
    }

    private static void await(CountDownLatch ended) {
        try {
            ended.await(PATIENCE_SECONDS, TimeUnit.SECONDS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }
}
