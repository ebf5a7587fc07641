package org.unimeros.engine.schedule;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;

/** What the scheduler knows of a task. */
final class TaskState {

    final List<AttemptId> running = new ArrayList<>(1);
    int attempts;
    int failures;
    int workersLost;
    int inputsLost;
    Set<String> avoid = Set.of();
    /** The attempt whose result counts, and where it was made; null when there is none. */
    AttemptId kept;

    String place;
    long rows;
}
