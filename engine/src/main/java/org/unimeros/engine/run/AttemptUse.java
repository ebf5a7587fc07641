package org.unimeros.engine.run;

import java.io.Serializable;

/**
 * What an attempt took, as the process that ran it has measured it; nanoseconds.
 *
 * @param waited until it had a slot, after the process had been told of it
 * @param nanos from the slot to its end
 * @param sides of these, until the other sides of its joins were there
 * @param cpu of its thread; less than {@code nanos} where it waited for disks, networks, programs or a processor
 * @param collector while the collector had stopped the process, and all of its slots with it
 */
public record AttemptUse(long waited, long nanos, long sides, long cpu, long collector) implements Serializable {

    /** Nothing was measured. */
    public static final AttemptUse NONE = new AttemptUse(0, 0, 0, 0, 0);
}
