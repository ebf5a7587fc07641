package org.unimeros.cluster.wire;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Objects;
import org.unimeros.engine.schedule.AttemptId;

/** What the tasks of a stage made and where it is, in the order of the tasks. */
public record StageOutputs(int version, List<Output> outputs) implements Serializable {

    /**
     * The output of one attempt.
     *
     * @param urls of the workers that have it
     */
    public record Output(AttemptId attempt, List<String> urls, TaskReport report) implements Serializable {

        /** The same addresses in an order that spreads those who read. */
        public List<String> urlsFor(String reader) {
            if (urls.size() < 2) {
                return urls;
            }
            List<String> turned = new ArrayList<>(urls);
            Collections.rotate(turned, Math.floorMod(Objects.hash(reader, attempt), turned.size()));
            return turned;
        }
    }
}
