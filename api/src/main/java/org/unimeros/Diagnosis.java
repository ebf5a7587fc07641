package org.unimeros;

import java.nio.file.Path;
import java.util.List;
import java.util.OptionalLong;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.diagnosis.RunHistory;

/**
 * What is wrong with a run, made from its record. Immutable.
 *
 * @param verdict one or two sentences: what the run did, how long it took, how well its slots were used, what was wrong
 * @param findings what is worth a change, the largest gain first; empty where nothing is
 * @param bound what the tasks spent most of their time with
 * @param text all of it for people, several lines
 */
public record Diagnosis(String verdict, List<Finding> findings, String bound, String text) {

    public Diagnosis {
        findings = List.copyOf(findings);
    }

    /**
     * One thing that is wrong.
     *
     * @param kind a word by which programs know it, such as {@code hot-key}
     * @param what what is wrong, in a sentence
     * @param evidence the figures that show it
     * @param cause why it probably is so
     * @param change what to do
     * @param gainMillis what the run would probably be shorter by; empty where that cannot be told
     * @param sureness sure, likely or possible
     */
    public record Finding(
            String kind,
            String what,
            String evidence,
            String cause,
            String change,
            OptionalLong gainMillis,
            String sureness) {}

    static Diagnosis of(Path record) {
        RunHistory history = new RunHistory();
        RunRecord.replay(record, history);
        var made = org.unimeros.insight.diagnosis.Diagnosis.of(history);
        return new Diagnosis(
                made.verdict(),
                made.findings().stream()
                        .map(f -> new Finding(
                                f.kind(),
                                f.what(),
                                f.evidence(),
                                f.cause(),
                                f.change(),
                                f.gainMillis() < 0 ? OptionalLong.empty() : OptionalLong.of(f.gainMillis()),
                                f.sureness().toString()))
                        .toList(),
                made.bound(),
                made.print());
    }

    @Override
    public String toString() {
        return text;
    }
}
