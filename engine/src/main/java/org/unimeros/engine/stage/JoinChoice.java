package org.unimeros.engine.stage;

import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;

/**
 * How a join is carried out.
 *
 * @param buildLeft whether rows of the left side are looked up for each row of the right one, or the other way round
 * @param copied whether every task gets all of that side, or both sides are shuffled by their keys
 * @param why the reason, in words
 */
record JoinChoice(boolean buildLeft, boolean copied, String why) {

    static JoinChoice of(Join j, Estimate left, Estimate right, PlanSettings settings) {
        JoinKind kind = j.kind();
        if (kind == JoinKind.FULL) {
            String reason = "a full join must see all rows of a key in one place";
            return new JoinChoice(isSmaller(left, right), false, reason);
        }
        boolean mayCopyLeft = kind == JoinKind.INNER;
        if (j.leftKeys().isEmpty()) {
            return new JoinChoice(mayCopyLeft && isSmaller(left, right), true, "no equal keys to shuffle by");
        }
        boolean buildLeft = mayCopyLeft && isSmaller(left, right);
        Estimate build = buildLeft ? left : right;
        boolean fits = build.bytes() >= 0 && build.bytes() <= settings.copyLimitBytes();
        boolean copied = j.method() == JoinMethod.AUTOMATIC ? fits : j.method() == JoinMethod.COPIED;
        if (!copied && kind == JoinKind.LEFT && isSmaller(left, right)) {
            buildLeft = true;
        }
        String size = (build == left ? "left" : "right") + " side " + build.inWords();
        String why = j.method() == JoinMethod.AUTOMATIC
                ? size + (fits ? ", within" : ", over") + " the copy limit of " + Sizes.bytes(settings.copyLimitBytes())
                : "as asked for";
        return new JoinChoice(buildLeft, copied, why);
    }

    private static boolean isSmaller(Estimate a, Estimate b) {
        return a.bytes() >= 0 && (b.bytes() < 0 || a.bytes() < b.bytes());
    }
}
