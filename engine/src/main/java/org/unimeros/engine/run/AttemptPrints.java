package org.unimeros.engine.run;

import java.util.function.Consumer;

/** Takes what attempts print, where that is wanted. */
@FunctionalInterface
public interface AttemptPrints {

    /** What they print goes where the process prints. */
    AttemptPrints NOT_TAKEN = (lines, work) -> work.run();

    /** Runs an attempt in the calling thread, and hands on the lines that it prints. */
    void during(Consumer<String> lines, Runnable work);
}
