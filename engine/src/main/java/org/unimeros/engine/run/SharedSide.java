package org.unimeros.engine.run;

import org.unimeros.engine.join.BuildSide;
import org.unimeros.engine.key.JointWork;

/** A side of a join that all tasks look rows up in: made by the task that needs it first, and those that come meanwhile help. */
final class SharedSide {

    private final JointWork work = new JointWork();
    private volatile BuildSide made;

    /** For the one that makes it. */
    JointWork work() {
        return work;
    }

    void set(BuildSide side) {
        made = side;
        work.end();
    }

    void giveUp() {
        work.end();
    }

    /** Helps to make it; null when it was given up. */
    BuildSide help() {
        work.help();
        return made;
    }
}
