package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.HeldPieces;
import org.unimeros.engine.source.HeldTable.Piece;
import org.unimeros.engine.spill.Chunk;

/** Rows that are held in this process, by the run that made them. Thread-safe. */
public final class ProcessHeld implements HeldPieces {

    /** About what a task reads. */
    private static final long PIECE_BYTES = 16L << 20;

    private final Map<String, Kept> all = new ConcurrentHashMap<>();

    private record Kept(List<List<Chunk>> pieces, RunOutcome outcome) {}

    /** Holds the rows of a run. */
    HeldRun keep(String id, RunOutcome outcome) {
        List<List<Chunk>> pieces = new ArrayList<>();
        List<Piece> sizes = new ArrayList<>();
        List<Chunk> current = new ArrayList<>();
        long rows = 0;
        long bytes = 0;
        int left = outcome.chunks().size();
        for (Chunk chunk : outcome.chunks()) {
            left--;
            current.add(chunk);
            rows += chunk.rows();
            bytes += chunk.bytes();
            if (bytes >= PIECE_BYTES || left == 0) {
                sizes.add(new Piece(pieces.size(), rows, bytes, ""));
                pieces.add(current);
                current = new ArrayList<>();
                rows = 0;
                bytes = 0;
            }
        }
        all.put(id, new Kept(pieces, outcome));
        return new Held(id, outcome, sizes);
    }

    /** What is known of the rows of a run, all of which are here. */
    private final class Held implements HeldRun {
        private final String id;
        private final RunOutcome outcome;
        private final List<Piece> pieces;

        Held(String id, RunOutcome outcome, List<Piece> pieces) {
            this.id = id;
            this.outcome = outcome;
            this.pieces = pieces;
        }

        @Override
        public RunOutcome outcome() {
            return outcome;
        }

        @Override
        public List<Piece> pieces() {
            require(id);
            return pieces;
        }

        /** One process is all there is. */
        @Override
        public void replicate(int copies) {
            // they are here
        }

        @Override
        public void release() {
            Kept held = all.remove(id);
            if (held != null) {
                held.outcome.workspace().close();
            }
        }
    }

    private Kept require(String id) {
        Kept held = all.get(id);
        if (held == null) {
            throw new UserMistake("the held rows " + id + " were released");
        }
        return held;
    }

    @Override
    public Iterator<Batch> open(String id, int piece) {
        return require(id).pieces.get(piece).stream().map(Chunk::load).iterator();
    }
}
