package org.unimeros.engine.spill;

import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.LongSupplier;

/**
 * The memory of one run and its scratch files. Of the budget, a part holds rows between stages, another the
 * tables of copied joins, and the rest is divided among the slots ({@link ProcessSpace}); the division is fixed, so that what a task does depends on its own rows only. Thread-safe.
 */
public final class Workspace implements AutoCloseable {

    private final Scratch scratch;
    private final LongSupplier nanoClock;
    private final MemoryPool between;
    private final MemoryPool copies;
    private final long perTask;
    private final Set<SpillFile> open = ConcurrentHashMap.newKeySet();

    /** The workspace of a run in a process of its own, with so many slots, which does not measure times. */
    public Workspace(Scratch scratch, long budgetBytes, int slots) {
        this(scratch, new ProcessSpace(budgetBytes, slots), () -> 0);
    }

    /** The workspace of a run beside others. */
    public Workspace(Scratch scratch, ProcessSpace shared, LongSupplier nanoClock) {
        this.scratch = scratch;
        this.nanoClock = nanoClock;
        this.between = shared.between().inside();
        this.copies = shared.copies().inside();
        this.perTask = shared.perTask();
    }

    /** Bytes that one task may hold. */
    public long perTask() {
        return perTask;
    }

    /** Memory for the tables of copied joins. */
    public MemoryPool copies() {
        return copies;
    }

    /** Memory for rows between stages. */
    public MemoryPool between() {
        return between;
    }

    /** A place for the output of one attempt. */
    public OutputStore newStore() {
        return new OutputStore(this, between);
    }

    /** A file of its own, closed with the workspace at the latest. */
    public SpillFile newFile() {
        SpillFile file = new SpillFile(scratch.create(), nanoClock);
        open.add(file);
        return file;
    }

    void close(SpillFile file) {
        if (open.remove(file)) {
            file.close();
        }
    }

    /** Closes all files and gives all memory back; nothing can be read any more. */
    @Override
    public void close() {
        open.forEach(this::close);
        between.close();
        copies.close();
    }
}
