package org.unimeros.insight.diagnosis;

import java.util.Comparator;
import java.util.List;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.Sizes;

/**
 * What a run says of itself: a verdict, and findings with their evidence, cause, change and gain, the largest gain first. Made from the record alone,
 * so that it can be made long after the run and without its code. Immutable.
 *
 * @param millis how long the run took, or has taken so far
 * @param verdict one or two sentences: what the run did, how long it took, how well its slots were used, what was wrong
 * @param slotsInUse the share of the slots' time in which attempts ran, in percent
 * @param findings what is worth a change; empty where nothing is
 * @param bound what the run spends its time with, when nothing is wrong any more
 */
public record Diagnosis(String run, long millis, int slotsInUse, String verdict, List<Finding> findings, String bound) {

    public Diagnosis {
        findings = List.copyOf(findings);
    }

    /** The diagnosis of a run that is over, or of what is known of one so far. */
    public static Diagnosis of(RunHistory history) {
        Facts facts = new Facts(history);
        List<Finding> findings = Rules.findings(facts).stream()
                // What ended a run comes before what made it slow.
                .sorted(Comparator.comparing(
                                (Finding f) -> !history.hasFailed() || !f.kind().equals("failures"))
                        .thenComparingLong(f -> -f.gainMillis()))
                .toList();
        return new Diagnosis(
                history.progress().run(),
                facts.millis(),
                facts.slotsInUse(),
                verdict(facts, findings),
                findings,
                bound(facts));
    }

    private static String verdict(Facts facts, List<Finding> findings) {
        RunProgress p = facts.history().progress();
        StringBuilder verdict = new StringBuilder();
        verdict.append(p.isEnded() ? p.state() + " in " : "going on for ").append(Sizes.millis(facts.millis()));
        if (p.isEnded() && p.reason() == null) {
            verdict.append(", ").append(Sizes.count(p.rows(), "row"));
        }
        verdict.append("; ").append(facts.slots() == 1 ? "its slot was" : Sizes.count(facts.slots()) + " slots were");
        verdict.append(" in use ").append(facts.slotsInUse()).append(" % of the time. ");
        if (p.reason() != null) {
            verdict.append("It ended because: ").append(p.reason()).append(". ");
        }
        verdict.append(
                findings.isEmpty()
                        ? "Nothing stands out."
                        : sentence(findings.get(0).what()));
        return verdict.toString();
    }

    private static String sentence(String text) {
        return Character.toUpperCase(text.charAt(0)) + text.substring(1) + ".";
    }

    /** The step in which tasks spent most of their time. */
    private static String bound(Facts facts) {
        Node most = null;
        StageFacts where = null;
        long all = 0;
        for (StageFacts stage : facts.stages()) {
            for (Node node : stage.nodes()) {
                long nanos = stage.history().step(node.id()).nanos();
                all += nanos;
                if (most == null || nanos > facts.step(most).nanos()) {
                    most = node;
                    where = stage;
                }
            }
        }
        if (most == null || all == 0) {
            return "no task has ended";
        }
        return Facts.percent(facts.step(most).nanos(), all) + " of the time of all tasks was in " + where.name() + ": "
                + most.text();
    }

    /** For people: the verdict, then each finding. */
    public String print() {
        StringBuilder out = new StringBuilder("run ")
                .append(run)
                .append(": ")
                .append(verdict)
                .append('\n');
        int number = 0;
        for (Finding f : findings) {
            out.append('\n').append(++number).append("  ").append(f.what()).append('\n');
            line(out, "evidence", f.evidence());
            line(out, "cause", f.cause() + " (" + f.sureness() + ")");
            line(out, "change", f.change());
            String gain = "about " + Sizes.millis(f.gainMillis()) + " of " + Sizes.millis(millis);
            line(out, "gain", f.gainMillis() < 0 ? "not known" : gain);
        }
        return out.append("\nmost time: ").append(bound).append('\n').toString();
    }

    private static void line(StringBuilder out, String name, String text) {
        out.append("   ")
                .append(name)
                .append(" ".repeat(10 - name.length()))
                .append(text)
                .append('\n');
    }
}
