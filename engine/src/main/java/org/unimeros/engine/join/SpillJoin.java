package org.unimeros.engine.join;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.key.RowDivider;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.SpillFile;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Joins the rows that come by with a side that is too large for memory. Both sides are divided by the hash of their
 * keys into scratch files; then division by division a {@link JoinTable} is built and probed. A division that is still
 * too large is divided further. Where that does not help, because one key has too many rows or there is no key at all,
 * its table is built in pieces, and the other side is read once for each.
 */
public final class SpillJoin extends Operator.Inner {

    private static final int MOST_DIVISIONS = 64;
    private static final int DEEPEST = 5;

    private final Evaluator evaluator;
    private final Step.Probe step;
    private final StepSpace space;
    private final List<Chunk> build;
    private final PairWatch watch;
    private final int divisions;
    private final RowDivider dividedProbe;
    private final List<Chunk> undividedProbe = new ArrayList<>();
    private final BatchBuilder small;
    private final SpillFile probeFile;

    public SpillJoin(
            Evaluator evaluator, Step.Probe step, List<Chunk> build, StepSpace space, PairWatch watch, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
        this.space = space;
        this.build = build;
        this.watch = watch;
        this.divisions = step.probeKeys().isEmpty() ? 1 : divisions(build);
        this.dividedProbe = divisions == 1 ? null : new RowDivider(divisions, 1, space);
        this.probeFile = divisions == 1 ? space.newFile() : null;
        this.small = new BatchBuilder(
                step.probeSchema().fields().stream().map(Field::type).toList());
    }

    private long tableLimit() {
        return space.limit() / 2;
    }

    /** As many divisions as are needed when keys are spread evenly, and some to spare. */
    private int divisions(List<Chunk> rows) {
        return Math.clamp(2 * JoinTable.bytesFor(rows) / Math.max(1, tableLimit()) + 1, 2, MOST_DIVISIONS);
    }

    @Override
    public void accept(Batch batch) {
        if (dividedProbe != null) {
            dividedProbe.add(batch, evaluator.evaluateAll(step.probeKeys(), batch));
            return;
        }
        small.appendAll(batch);
        if (small.rowCount() >= Batch.TARGET_ROWS) {
            undividedProbe.add(probeFile.write(small.build()));
        }
    }

    @Override
    public void finish() {
        if (dividedProbe == null) {
            if (small.rowCount() > 0) {
                undividedProbe.add(probeFile.write(small.build()));
            }
            inPieces(build, undividedProbe);
        } else {
            RowDivider dividedBuild = divided(build, step.buildKeys(), divisions, 1);
            joinDivisions(dividedBuild, dividedProbe, rows(build), 1);
        }
        next.finish();
    }

    private RowDivider divided(List<Chunk> chunks, List<Expression> keys, int count, int depth) {
        RowDivider divider = new RowDivider(count, depth, space);
        for (Chunk chunk : chunks) {
            Batch batch = chunk.load();
            divider.add(batch, evaluator.evaluateAll(keys, batch));
        }
        return divider;
    }

    private void joinDivisions(RowDivider buildSide, RowDivider probeSide, long rowsBefore, int depth) {
        List<List<Chunk>> builds = buildSide.divisions();
        List<List<Chunk>> probes = probeSide.divisions();
        for (int d = 0; d < builds.size(); d++) {
            join(builds.get(d), probes.get(d), rowsBefore, depth);
        }
        space.done(buildSide.file());
        space.done(probeSide.file());
    }

    private void join(List<Chunk> buildRows, List<Chunk> probeRows, long rowsBefore, int depth) {
        boolean fits = JoinTable.bytesFor(buildRows) <= tableLimit();
        boolean helps = depth < DEEPEST && rows(buildRows) < rowsBefore * 9 / 10;
        if (fits || !helps) {
            inPieces(buildRows, probeRows);
            return;
        }
        int count = divisions(buildRows);
        joinDivisions(
                divided(buildRows, step.buildKeys(), count, depth + 1),
                divided(probeRows, step.probeKeys(), count, depth + 1),
                rows(buildRows),
                depth + 1);
    }

    private static long rows(List<Chunk> chunks) {
        return chunks.stream().mapToLong(Chunk::rows).sum();
    }

    /** Joins with as much of the table at a time as fits; without rows there is still one, empty, piece. */
    private void inPieces(List<Chunk> buildRows, List<Chunk> probeRows) {
        boolean[][] matched = new boolean[probeRows.size()][];
        for (int c = 0; c < matched.length; c++) {
            matched[c] = new boolean[probeRows.get(c).rows()];
        }
        JoinPass pass;
        int at = 0;
        do {
            List<Chunk> piece = new ArrayList<>();
            while (at < buildRows.size() && (piece.isEmpty() || fitsWith(piece, buildRows.get(at)))) {
                piece.add(buildRows.get(at++));
            }
            JoinTable table = JoinTable.build(piece, step.buildSchema(), step.buildKeys());
            pass = new JoinPass(evaluator, step, table, watch, next);
            for (int c = 0; c < matched.length && next.wantsMore(); c++) {
                pass.pairs(probeRows.get(c).load(), matched[c]);
            }
            pass.buildEnds();
            table.releaseKeys();
        } while (at < buildRows.size());
        for (int c = 0; c < matched.length && next.wantsMore(); c++) {
            pass.ends(probeRows.get(c).load(), matched[c]);
        }
    }

    private boolean fitsWith(List<Chunk> piece, Chunk another) {
        List<Chunk> all = new ArrayList<>(piece);
        all.add(another);
        return JoinTable.bytesFor(all) <= tableLimit();
    }
}
