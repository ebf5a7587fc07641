package org.unimeros.engine.schedule;

import java.util.List;
import java.util.OptionalLong;

/**
 * What the scheduler knows of a stage.
 *
 * @param dependencies stages that must be finished first
 * @param rowsWanted when tasks 0 to k have made so many rows, those after k are not needed
 * @param staysOnWorker whether what a task makes is lost together with its worker
 */
public record StageSpec(int id, List<Integer> dependencies, OptionalLong rowsWanted, boolean staysOnWorker) {

    public StageSpec {
        dependencies = List.copyOf(dependencies);
    }
}
