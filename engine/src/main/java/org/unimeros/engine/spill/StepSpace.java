package org.unimeros.engine.spill;

import java.util.ArrayList;
import java.util.List;

/** What one step of one attempt may hold in memory, and its files for the rest. Used by one thread. */
public final class StepSpace implements AutoCloseable {

    private final Workspace workspace;
    private final long limit;
    private final List<SpillFile> files = new ArrayList<>();

    public StepSpace(Workspace workspace, long limit) {
        this.workspace = workspace;
        this.limit = limit;
    }

    /** Bytes that the step may hold. */
    public long limit() {
        return limit;
    }

    public SpillFile newFile() {
        SpillFile file = workspace.newFile();
        files.add(file);
        return file;
    }

    /** Closes a file whose rows are not needed any more; its bytes still count as spilled. */
    public void done(SpillFile file) {
        workspace.close(file);
    }

    /** Compressed bytes written to all files. */
    public long spilledBytes() {
        return files.stream().mapToLong(SpillFile::bytes).sum();
    }

    /** Time to write and read them. */
    public long spillNanos() {
        return files.stream().mapToLong(SpillFile::nanos).sum();
    }

    @Override
    public void close() {
        files.forEach(workspace::close);
    }
}
