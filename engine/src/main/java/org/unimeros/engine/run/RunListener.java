package org.unimeros.engine.run;

/** Watches a run. Called by one thread at a time, in order; must return quickly and must not throw. */
@FunctionalInterface
public interface RunListener {
    void happened(RunEvent event);
}
