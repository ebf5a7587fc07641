package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.Collections;
import java.util.IdentityHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.source.ScanPlan;

/** Stages in an order in which they can run; the last one makes the result. */
public record PhysicalPlan(List<Stage> stages, Schema schema) implements Serializable {

    public PhysicalPlan {
        stages = List.copyOf(stages);
    }

    public Stage stage(int id) {
        return stages.get(id - 1);
    }

    /** What the scans found that the user should know. */
    public List<String> warnings() {
        Set<String> all = new LinkedHashSet<>();
        for (Stage stage : stages) {
            for (Stage.Pipeline pipeline : stage.pipelines()) {
                if (pipeline.source() instanceof Source.Table table) {
                    all.addAll(table.plan().warnings());
                }
            }
        }
        return List.copyOf(all);
    }

    /** The scans, each once even where there are two ways to use it. */
    public List<ScanPlan> scans() {
        Set<ScanPlan> scans = Collections.newSetFromMap(new IdentityHashMap<>());
        stages.forEach(stage -> stage.pipelines().forEach(p -> {
            if (p.source() instanceof Source.Table table) {
                scans.add(table.plan());
            }
        }));
        return List.copyOf(scans);
    }

    /** What those see of it who look at runs. */
    public PlanOutline outline() {
        return new PlanOutline(stages.stream().map(PhysicalPlan::outline).toList());
    }

    private static PlanOutline.StageOutline outline(Stage stage) {
        return new PlanOutline.StageOutline(
                stage.id(),
                stage.dependencies(),
                node(stage.outputId(), stage.output(), stage.output().describe()),
                stage.pipelines().stream().map(PhysicalPlan::outline).toList(),
                stage.expected().rows(),
                stage.expected().bytes());
    }

    private static PlanOutline.PipelineOutline outline(Stage.Pipeline pipeline) {
        List<PlanOutline.Node> steps = new ArrayList<>();
        for (Step step : pipeline.steps()) {
            steps.add(node(pipeline.stepId(steps.size()), step, step.describe()));
        }
        return new PlanOutline.PipelineOutline(
                pipeline.when().stream().map(Stage.When::toString).toList(),
                node(pipeline.sourceId(), pipeline.source(), pipeline.source().describe()),
                steps);
    }

    /** The kind is the name of its class, in lower case: {@code partial-group}. */
    private static PlanOutline.Node node(int id, Object of, String text) {
        String kind = of.getClass()
                .getSimpleName()
                .replaceAll("(?<=[a-z])(?=[A-Z])", "-")
                .toLowerCase(Locale.ROOT);
        return new PlanOutline.Node(id, kind, text);
    }

    /** The plan as text, as data flows, with what is expected of each stage. */
    public String print() {
        StringBuilder out = new StringBuilder();
        for (PlanOutline.Line line : outline().lines()) {
            out.append(line.text());
            out.append(
                    line.role() == PlanOutline.Role.STAGE
                            ? ", expected to make data "
                                    + stage(line.id()).expected().inWords()
                                    + stage(line.id()).expected().supposition()
                            : "");
            out.append('\n');
        }
        return out.toString();
    }
}
