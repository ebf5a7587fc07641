package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;
import org.unimeros.insight.diagnosis.RunHistory.Ran;
import org.unimeros.insight.diagnosis.RunHistory.StageHistory;

/** A stage that ran, with the pipeline that most of its tasks took. */
record StageFacts(StageHistory history, StageOutline outline, PipelineOutline pipeline) {

    static final int SMALL_FILE = 1 << 20;

    private static final int MANY_FILES = 100;
    private static final Pattern FILES = Pattern.compile(": ([\\d,]+) files?,");

    String name() {
        return "stage " + outline.id();
    }

    int source() {
        return pipeline.source().id();
    }

    boolean readsTable() {
        return is("table", "scan ");
    }

    boolean readsParts() {
        return is("parts", "read parts ");
    }

    /** The dataset that it reads, and what of it, without the columns. */
    String filesInWords() {
        return pipeline.source().text().replaceFirst(" \\[[^]]*]", "");
    }

    /** Records of the first version do not say what kind a source is of. */
    private boolean is(String kind, String textOfFirstVersion) {
        String known = pipeline.source().kind();
        return known.isEmpty() ? pipeline.source().text().startsWith(textOfFirstVersion) : known.equals(kind);
    }

    /** The nodes that rows go through, source and output among them. */
    List<Node> nodes() {
        List<Node> nodes = new ArrayList<>();
        nodes.add(pipeline.source());
        nodes.addAll(pipeline.steps());
        nodes.add(outline.output());
        return nodes;
    }

    long rows(Ran task) {
        return task.step(source()).rows();
    }

    long rows() {
        return history.step(source()).rows();
    }

    /** The task that took longest. */
    Ran slowest() {
        return history.ran().stream().max(Comparator.comparingLong(Ran::millis)).orElseThrow();
    }

    long medianMillis() {
        long[] sorted = history.ran().stream().mapToLong(Ran::millis).sorted().toArray();
        return sorted[(sorted.length - 1) / 2];
    }

    /** From the begin of its first task to the end of its last. */
    long wallMillis() {
        long begin =
                history.ran().stream().mapToLong(r -> r.span().begin()).min().orElse(0);
        long end = history.ran().stream().mapToLong(r -> r.span().end()).max().orElse(0);
        return end - begin;
    }

    boolean hasOwnCode() {
        return pipeline.steps().stream().anyMatch(Node::isOwnCode);
    }

    boolean readsSmallFiles() {
        long count = filesRead();
        return count >= MANY_FILES && history.step(source()).bytes() / count <= SMALL_FILE;
    }

    /** How many files its plan reads; 0 where it reads none. */
    long filesRead() {
        Matcher files = FILES.matcher(pipeline.source().text());
        return readsTable() && files.find() ? Long.parseLong(files.group(1).replace(",", "")) : 0;
    }
}
