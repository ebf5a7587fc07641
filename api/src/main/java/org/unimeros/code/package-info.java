/**
 * What own code of a job is written against: functions for {@link org.unimeros.Records} and {@link org.unimeros.MapReduce}, each
 * a lambda for the short case and a class with {@link org.unimeros.code.TaskCode#taskBegins} and
 * {@link org.unimeros.code.TaskCode#taskEnds} for the long one.
 *
 * <p>Functions travel to where tasks run, with the values that they capture; every attempt of every task has objects of its own. What
 * cannot travel is refused when the step is described. A function is used by one thread at a time. What it throws ends the run, with
 * the record on which it failed.
 */
package org.unimeros.code;
