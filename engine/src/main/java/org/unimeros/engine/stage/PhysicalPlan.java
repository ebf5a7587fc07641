package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.Collections;
import java.util.IdentityHashMap;
import java.util.LinkedHashSet;
import java.util.List;
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

    /** What a line of a printed plan stands for. */
    public enum Role {
        STAGE,
        /** When the pipeline behind it is the one that is taken. */
        CONDITION,
        OUTPUT,
        STEP,
        SOURCE
    }

    /** One line of a printed plan; {@code id} is that of a stage, or of a step, output or source. */
    public record Line(String text, Role role, int id) {}

    /** The plan, last stage first; within a stage the output first and the source last. */
    public List<Line> lines() {
        List<Line> lines = new ArrayList<>();
        for (int i = stages.size() - 1; i >= 0; i--) {
            Stage stage = stages.get(i);
            lines.add(new Line("stage " + stage.id(), Role.STAGE, stage.id()));
            lines.add(new Line("  " + stage.output().describe(), Role.OUTPUT, stage.outputId()));
            for (Stage.Pipeline pipeline : stage.pipelines()) {
                String indent = stage.pipelines().size() == 1 ? "    " : "  + ";
                for (Stage.When when : pipeline.when()) {
                    lines.add(new Line(indent + when, Role.CONDITION, 0));
                    indent = "    ";
                }
                for (int s = pipeline.steps().size() - 1; s >= 0; s--) {
                    Step step = pipeline.steps().get(s);
                    lines.add(new Line(indent + step.describe(), Role.STEP, pipeline.stepId(s)));
                    indent = "    ";
                }
                lines.add(new Line(indent + pipeline.source().describe(), Role.SOURCE, pipeline.sourceId()));
            }
        }
        return lines;
    }

    /** The plan as text, with what is expected of each stage. */
    public String print() {
        StringBuilder out = new StringBuilder();
        for (Line line : lines()) {
            out.append(line.text());
            out.append(
                    line.role() == Role.STAGE
                            ? ", expected to make data "
                                    + stage(line.id()).expected().inWords()
                                    + stage(line.id()).expected().supposition()
                            : "");
            out.append('\n');
        }
        return out.toString();
    }
}
