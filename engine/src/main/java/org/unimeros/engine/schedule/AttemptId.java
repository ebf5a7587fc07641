package org.unimeros.engine.schedule;

import java.io.Serializable;

/** One try of one task. Tasks and attempts count from 0. */
public record AttemptId(int stage, int task, int attempt) implements Serializable {

    @Override
    public String toString() {
        return "stage " + stage + " task " + task + " attempt " + attempt;
    }
}
