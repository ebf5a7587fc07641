package org.unimeros;

import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.run.HeldRun;
import org.unimeros.engine.source.HeldTable;
import org.unimeros.engine.stage.Sizes;

/**
 * Rows that were computed once and are held in memory for repeated questions: on the workers of the engine, or in its process. What
 * does not fit into memory is in scratch files. A piece that is lost with its worker is made again when it is needed. They are released by {@link #release}, with the engine, or when
 * this process is gone. Thread-safe.
 */
public final class Held implements AutoCloseable {

    private final Engine engine;
    private final HeldTable table;
    private final HeldRun held;
    private final Run run;
    private volatile boolean released;

    Held(Engine engine, HeldTable table, HeldRun held, Run run) {
        this.engine = engine;
        this.table = table;
        this.held = held;
        this.run = run;
    }

    /**
     * The rows, to ask of them as of any others. Tasks run where the pieces are, as far as there are slots.
     *
     * @throws UserMistake when they were released
     */
    public Rows rows() {
        requireHeld();
        return new Rows(engine, PlanBuilder.scan(table, null), table.name());
    }

    /** The run that made them. */
    public Run run() {
        return run;
    }

    /**
     * Has each piece kept by so many workers, so that none of them is made again when one is lost, and waits until that is so. With fewer workers,
     * all of them have one. In one process there is nothing to do.
     *
     * @throws UserMistake when they were released, or there are to be no copies
     */
    public Held replicate(int copies) {
        requireHeld();
        if (copies < 1) {
            throw new UserMistake("rows are held at least once, not " + copies + " times");
        }
        held.replicate(copies);
        return this;
    }

    private void requireHeld() {
        if (released) {
            throw new UserMistake("the held rows " + table.id() + " were released");
        }
    }

    /** Forgets them. Questions that were asked before and still run may fail. Can be called more than once. */
    public void release() {
        if (!released) {
            released = true;
            held.release();
            engine.released(this);
        }
    }

    @Override
    public String toString() {
        return "held rows " + table.id() + ": " + Sizes.count(run.rows(), "row") + " " + table.schema()
                + (released ? ", released" : "");
    }

    /** The same as {@link #release}. */
    @Override
    public void close() {
        release();
    }
}
