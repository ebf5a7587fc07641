package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.stream.Stream;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.diagnosis.Finding.Place;
import org.unimeros.insight.diagnosis.Finding.Sureness;
import org.unimeros.insight.diagnosis.RunHistory.Failed;
import org.unimeros.insight.diagnosis.RunHistory.Span;

/** What went wrong in the course of a run: attempts that failed, workers that were lost, times in which nothing ran. */
final class CourseRules {

    private CourseRules() {}

    static Stream<Finding> failures(Facts facts) {
        List<Failed> failed = facts.history().failed();
        List<String> lost = facts.history().progress().lostWorkers();
        if (failed.isEmpty() && lost.isEmpty()) {
            return Stream.empty();
        }
        List<String> what = new ArrayList<>();
        if (!failed.isEmpty()) {
            what.add(Sizes.count(failed.size(), "attempt") + " failed");
        }
        if (!lost.isEmpty()) {
            what.add(Sizes.count(lost.size(), "worker") + (lost.size() == 1 ? " was lost" : " were lost"));
        }
        String words = String.join(", ", what);
        return Stream.of(failed.isEmpty() ? ofLoss(facts, words, lost.get(0)) : ofFailure(facts, words, failed));
    }

    private static Finding ofLoss(Facts facts, String what, String loss) {
        return new Finding(
                "failures",
                what,
                "what it had made was made again where it was needed",
                loss,
                "look at the log of that worker; the setting worker.memory and the slots decide what a process needs",
                -1,
                Sureness.SURE,
                lostWorker(facts));
    }

    private static Finding ofFailure(Facts facts, String what, List<Failed> failed) {
        boolean isEnd = facts.history().hasFailed();
        long wasted = failed.stream().mapToLong(f -> f.span().millis()).sum();
        // The last one is what ended a run.
        Failed one = isEnd ? failed.get(failed.size() - 1) : failed.get(0);
        return new Finding(
                "failures",
                what,
                "they took " + Sizes.millis(wasted) + " of task time, the " + (isEnd ? "last" : "first") + " one in "
                        + one.span().attempt(),
                one.reason(),
                isEnd
                        ? "mend what this says, and run it again"
                        : "mend what this says; a task is tried task.attempts times, so that what happens now and then"
                                + " does not end a run",
                isEnd ? -1 : wasted / facts.slots(),
                Sureness.SURE,
                Place.attempt(one.span()));
    }

    private static Place lostWorker(Facts facts) {
        return facts.history().workers().stream()
                .filter(w -> w.lost() >= 0)
                .min(Comparator.comparingLong(RunHistory.Worker::lost))
                .map(w -> new Place(-1, -1, w.name(), w.lost(), w.lost()))
                .orElse(Place.RUN);
    }

    /** Time in which no attempt ran. */
    static Stream<Finding> gaps(Facts facts) {
        List<Span> spans = new ArrayList<>(facts.history().spans());
        spans.sort(Comparator.comparingLong(Span::begin));
        long start = facts.history().start();
        long until = start;
        long idle = 0;
        long longest = 0;
        long longestAt = 0;
        for (Span span : spans) {
            long gap = span.begin() - until;
            idle += Math.max(0, gap);
            if (gap > longest) {
                longest = gap;
                longestAt = until - start;
            }
            until = Math.max(until, span.end());
        }
        if (spans.isEmpty() || !facts.matters(idle) || idle < facts.millis() / 5 || idle < 1_000) {
            return Stream.empty();
        }
        boolean atStart = longestAt == 0;
        return Stream.of(new Finding(
                "gaps",
                "nothing ran for " + Sizes.millis(idle),
                "the longest time was " + Sizes.millis(longest) + ", "
                        + (atStart ? "before the first task" : Sizes.millis(longestAt) + " after the start"),
                atStart
                        ? "the plan was made, files were listed, or workers were not there yet"
                        : "workers were lost or waited for, or the coordinator was busy",
                atStart
                        ? "keep the engine and its workers for several runs, and keep fewer and larger files"
                        : "look at the log of the coordinator for that time",
                idle,
                Sureness.POSSIBLE,
                Place.time(start + longestAt, start + longestAt + longest)));
    }
}
