package org.unimeros.insight.diagnosis;

import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Stream;
import org.unimeros.insight.diagnosis.Finding.Place;

/**
 * What is looked for in a run, in the order in which somebody who knows would look: what failed, when nothing ran, stages with too few tasks, uneven
 * tasks, joins that make very many rows or shuffle what could be copied, spilling, small files, datasets that are read again and again, tasks that are too small, memory, code of the job, waiting.
 */
final class Rules {

    private static final List<Function<Facts, Stream<Finding>>> ALL = List.of(
            CourseRules::failures,
            CourseRules::gaps,
            facts -> each(facts, TaskRules::fewTasks),
            facts -> each(facts, TaskRules::uneven),
            facts -> each(facts, JoinRules::pairs),
            facts -> each(facts, JoinRules::shuffledSide),
            WorkRules::spilling,
            facts -> each(facts, WorkRules::smallFiles),
            WorkRules::readAgain,
            facts -> each(facts, TaskRules::smallTasks),
            WorkRules::collector,
            WorkRules::ownCode,
            facts -> each(facts, WorkRules::waiting));

    private Rules() {}

    /** All findings, in that order. */
    static List<Finding> findings(Facts facts) {
        return ALL.stream().flatMap(rule -> rule.apply(facts)).toList();
    }

    private interface StageRule {
        Optional<Finding> look(Facts facts, StageFacts stage);
    }

    private static Stream<Finding> each(Facts facts, StageRule rule) {
        return facts.stages().stream()
                .flatMap(stage -> rule.look(facts, stage).stream()
                        .map(f -> f.place().equals(Place.RUN)
                                ? f.at(Place.stage(stage.history().id()))
                                : f));
    }
}
