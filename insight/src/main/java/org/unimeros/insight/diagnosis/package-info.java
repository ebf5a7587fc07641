/**
 * What is wrong with a run, where, and what a change would bring.
 *
 * <p>{@link org.unimeros.insight.diagnosis.RunHistory} keeps every attempt of a run by its events. {@code Facts} answers what rules ask of it;
 * {@code Rules} lists what is looked for, in {@code CourseRules}, {@code TaskRules}, {@code JoinRules} and {@code WorkRules}, and each makes a {@link org.unimeros.insight.diagnosis.Finding} or none. A finding says a gain: the run is
 * carried out once more on a virtual clock by the scheduler itself ({@code Replay}), with the times that its tasks would have after the change, and
 * compared with the same for the run as it was.
 *
 * <p>A rule speaks up only where the gain is at least a twentieth of the run and 200 ms, so that a run with nothing to change has no finding. To add
 * one, add it to {@code Rules}, and a sick run and a healthy one to {@code DiagnosisTest}.
 */
package org.unimeros.insight.diagnosis;
