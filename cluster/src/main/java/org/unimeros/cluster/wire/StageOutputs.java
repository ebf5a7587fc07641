package org.unimeros.cluster.wire;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.schedule.AttemptId;

/** What the tasks of a stage made and where it is, in the order of the tasks. */
public record StageOutputs(int version, List<Output> outputs) implements Serializable {

    /** The output of one attempt, at a worker. */
    public record Output(AttemptId attempt, String url, TaskReport report) implements Serializable {}
}
