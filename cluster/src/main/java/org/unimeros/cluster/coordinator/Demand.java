package org.unimeros.cluster.coordinator;

/**
 * What runs and jobs could use at the moment.
 *
 * @param slots for tasks that run or wait
 * @param programs main programs of jobs that run or wait
 */
public record Demand(int slots, int programs) {}
