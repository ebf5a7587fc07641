package org.unimeros.engine.stage;

import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;

/**
 * How a join is carried out.
 *
 * @param buildLeft whether rows of the left side are looked up for each row of the right one, or the other way round
 * @param copied whether every task gets all of that side, or both sides are shuffled by their keys
 * @param maySwap whether a shuffled join becomes a copied one should that side turn out small
 * @param why the reason, in words
 * @param size what is expected to come out
 */
record JoinChoice(boolean buildLeft, boolean copied, boolean maySwap, String why, Estimate size) {

    static JoinChoice of(Join j, Estimate left, Estimate right, PlanSettings settings) {
        JoinKind kind = j.kind();
        Estimate size = size(j, left, right);
        if (kind == JoinKind.FULL) {
            String reason = "a full join must see all rows of a key in one place";
            return new JoinChoice(isSmaller(left, right), false, false, reason, size);
        }
        boolean mayCopyLeft = kind == JoinKind.INNER;
        if (j.leftKeys().isEmpty()) {
            return new JoinChoice(
                    mayCopyLeft && isSmaller(left, right), true, false, "no equal keys to shuffle by", size);
        }
        boolean buildLeft = mayCopyLeft && isSmaller(left, right);
        Estimate build = buildLeft ? left : right;
        boolean fits = build.bytes() >= 0 && build.bytes() <= settings.copyLimitBytes();
        boolean automatic = j.method() == JoinMethod.AUTOMATIC;
        boolean copied = automatic ? fits : j.method() == JoinMethod.COPIED;
        boolean maySwap = automatic && !fits && settings.swapsJoins();
        if (!copied && !maySwap && kind == JoinKind.LEFT && isSmaller(left, right)) {
            buildLeft = true;
        }
        String side = (build == left ? "left" : "right") + " side " + build.inWords();
        String why = automatic
                ? side + (fits ? ", within" : ", over") + " the copy limit of " + Sizes.bytes(settings.copyLimitBytes())
                : "as asked for";
        return new JoinChoice(buildLeft, copied, maySwap, why, size);
    }

    /** The same with a further reason. */
    JoinChoice because(String more) {
        return new JoinChoice(buildLeft, copied, maySwap, why + more, size);
    }

    private static boolean isSmaller(Estimate a, Estimate b) {
        return a.bytes() >= 0 && (b.bytes() < 0 || a.bytes() < b.bytes());
    }

    /** One match for each row of the larger side, as for a key into a table of keys; every pair without equal keys. */
    private static Estimate size(Join j, Estimate left, Estimate right) {
        if (!j.kind().hasRight()) {
            return left;
        }
        if (left.rows() < 0 || right.rows() < 0) {
            return left.bytes() >= right.bytes() ? left : right;
        }
        double rows =
                j.leftKeys().isEmpty() ? (double) left.rows() * right.rows() : Math.max(left.rows(), right.rows());
        double width = perRow(left) + perRow(right);
        boolean supposesKeys = !j.leftKeys().isEmpty() || left.supposesKeys() || right.supposesKeys();
        return new Estimate((long) Math.min(rows, 1e15), (long) Math.min(rows * width, 1e18), supposesKeys);
    }

    private static double perRow(Estimate e) {
        return e.rows() <= 0 || e.bytes() < 0 ? 0 : (double) e.bytes() / e.rows();
    }
}
