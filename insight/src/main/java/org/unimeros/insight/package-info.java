/**
 * Run records: the log of what happened in a run, and what can be read from it. {@link
 * org.unimeros.insight.RunRecordWriter} writes one, {@link org.unimeros.insight.RunRecord} reads it back and prints the
 * plan with what really happened.
 *
 * <p>A record is JSON Lines: an object per event, in order, each with {@code event} (its name) and {@code at}
 * (milliseconds since 1970).
 *
 * <pre>
 * run-started       version, run, title, slots (0 where workers have them), settings, stages (of the plan)
 * asked             line (of the program, as in a stack trace; none of a command)
 * stage-started     stage, tasks
 * attempt-started   stage, task, attempt, slot, input
 * attempt-finished  stage, task, attempt, slot, rows, steps ({step: [rows, bytes, nanos] and, where it spilled, bytes and nanos of that}),
 *                   use (microseconds: waited for a slot, ran, of these for the other sides of joins, CPU, collector)
 * attempt-failed    stage, task, attempt, slot, reason
 * parts-made        stage, rows (of each part), bytes (of each part), keys ([{key, rows}], the most frequent first)
 * stage-finished    stage
 * warning           message
 * records-skipped   count, examples, kept-in?
 * counted           counters ({group: {name: sum}})
 * run-ended         state (done, failed, cancelled), reason?, rows, bytes, files
 * </pre>
 */
package org.unimeros.insight;
