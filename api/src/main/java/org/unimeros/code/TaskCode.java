package org.unimeros.code;

import java.io.Serializable;

/** Code that runs in tasks. */
public interface TaskCode extends Serializable {

    /** What plans and records call it, in a few words; a general name unless it says one. */
    default String title() {
        return "";
    }

    /** Called once per attempt of a task, before anything else. The place to open what cannot travel. */
    default void taskBegins(TaskContext context) throws Exception {
        // most need nothing
    }

    /** Called once per attempt of a task, after everything else, also when something failed. */
    default void taskEnds() throws Exception {
        // most hold nothing
    }
}
