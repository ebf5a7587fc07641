package org.unimeros.engine.fault;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.source.TableSource;

/**
 * Scans that are made up as they are read: numbers {@code parcel}, from 0 on, and {@code depot}, which is the parcel's modulo ten. What
 * else a split does while it is read, it does in the process of the worker. It lives in a package of the engine, since
 * nothing else is let in by workers.
 */
public final class ScriptedTable implements TableSource {

    private static final Schema SCHEMA = Schema.of(Field.of("parcel", DataType.LONG), Field.of("depot", DataType.LONG));

    /** What a split does in the middle of its rows. */
    public enum Deed {
        NOTHING,
        /** Waits, so that other things can happen. */
        WAIT,
        /** Waits for very long, the first time that a split of the folder does. */
        WAIT_LONG_ONCE,
        /** Fails for want of a resource, the first time. */
        FAIL_ONCE,
        FAIL,
        /** Takes its process with it. */
        KILL,
        /** Allocates until there is no memory. */
        ALLOCATE
    }

    private final int splits;
    private final int rowsPerSplit;
    private final int special;
    private final Deed deed;
    private final long millis;
    private final Path folder;

    /**
     * A table.
     *
     * @param special the split that does the deed; all others do nothing, but wait where the deed is to wait
     * @param folder where what was done once is noted
     */
    public ScriptedTable(int splits, int rowsPerSplit, int special, Deed deed, long millis, Path folder) {
        this.splits = splits;
        this.rowsPerSplit = rowsPerSplit;
        this.special = special;
        this.deed = deed;
        this.millis = millis;
        this.folder = folder;
    }

    /** Rows per depot: how many, and the sum of their parcels. */
    public Plan scan() {
        return PlanBuilder.scan(this, null);
    }

    @Override
    public String name() {
        return "scans";
    }

    @Override
    public Schema schema() {
        return SCHEMA;
    }

    @Override
    public ScanPlan plan(ScanRequest request) {
        List<Split> all = new ArrayList<>();
        for (int s = 0; s < splits; s++) {
            Deed own = s == special || deed == Deed.WAIT ? deed : Deed.NOTHING;
            all.add(new ScriptedSplit(s, rowsPerSplit, own, millis, folder, List.copyOf(request.columns())));
        }
        return new ScanPlan(all, splits, 0, 0, 0, (long) splits * rowsPerSplit, request.conditions(), List.of());
    }

    private record ScriptedSplit(int number, int rows, Deed deed, long millis, Path folder, List<Integer> columns)
            implements Split {

        @Override
        public long bytes() {
            return 8L * rows;
        }

        @Override
        public String describe() {
            return "scans " + number;
        }

        @Override
        public BatchReader open(ReadContext context) {
            return new BatchReader() {
                private int next;

                @Override
                public Batch next() {
                    if (next >= rows) {
                        return null;
                    }
                    if (next > 0) {
                        act();
                    }
                    int n = Math.min(1 + rows / 2, rows - next);
                    long[] parcels = new long[n];
                    long[] depots = new long[n];
                    for (int i = 0; i < n; i++) {
                        parcels[i] = (long) number * rows + next + i;
                        depots[i] = parcels[i] % 10;
                    }
                    next += n;
                    LongColumn[] made = {new LongColumn(parcels, null), new LongColumn(depots, null)};
                    return new Batch(n, columns.stream().map(c -> made[c]).toArray(LongColumn[]::new));
                }

                @Override
                public void close() {
                    // nothing is open
                }
            };
        }

        private void act() {
            switch (deed) {
                case NOTHING -> {
                    // just reads
                }
                case WAIT -> pause(millis);
                case WAIT_LONG_ONCE -> {
                    if (isFirst()) {
                        waitLong();
                    }
                }
                case FAIL_ONCE -> {
                    if (isFirst()) {
                        throw new ResourceFailure("the disk of the scanner is full");
                    }
                }
                case FAIL -> throw new ResourceFailure("the disk of the scanner is full");
                case KILL -> Runtime.getRuntime().halt(7);
                case ALLOCATE -> {
                    List<long[]> all = new ArrayList<>();
                    while (all.size() < Integer.MAX_VALUE) {
                        all.add(new long[1 << 20]);
                    }
                }
            }
        }

        /** A minute, or until the folder of the test is removed, so that the slot is free for the next one. */
        private void waitLong() {
            for (int i = 0; i < 1200 && Files.exists(done()); i++) {
                pause(50);
            }
        }

        private Path done() {
            return folder.resolve("done-" + number);
        }

        private boolean isFirst() {
            try {
                Files.createFile(done());
                return true;
            } catch (FileAlreadyExistsException e) {
                return false;
            } catch (IOException e) {
                throw new UncheckedIOException(e);
            }
        }

        private static void pause(long millis) {
            try {
                Thread.sleep(millis);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
            }
        }
    }
}
