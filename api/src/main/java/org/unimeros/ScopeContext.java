package org.unimeros;

import java.nio.file.Path;
import java.util.Set;
import org.unimeros.code.TaskCode;
import org.unimeros.code.TaskContext;
import org.unimeros.engine.own.TaskScope;

/** What the engine tells a task's own code. */
record ScopeContext(TaskScope scope) implements TaskContext {

    /** Sets up code for an attempt; {@code what} it is, for the message of a failure. */
    static void taskBegins(TaskCode code, String what, TaskScope scope) {
        try {
            code.taskBegins(new ScopeContext(scope));
        } catch (Exception e) {
            throw OwnFailure.of(what, null, e);
        }
    }

    /** The end of what was set up. */
    static void taskEnds(TaskCode code, String what) {
        try {
            code.taskEnds();
        } catch (Exception e) {
            throw OwnFailure.of(what, null, e);
        }
    }

    @Override
    public int stage() {
        return scope.stage();
    }

    @Override
    public int task() {
        return scope.task();
    }

    @Override
    public int attempt() {
        return scope.attempt();
    }

    @Override
    public String input() {
        return scope.input();
    }

    @Override
    public void count(String group, String name, long amount) {
        scope.counters().add(group, name, amount);
    }

    @Override
    public Path attachment(String name) {
        return Path.of(scope.files().attachment(name));
    }

    @Override
    public Set<String> attachments() {
        return scope.files().names();
    }

    @Override
    public System.Logger log() {
        return System.getLogger("unimeros.task." + stage() + "." + task());
    }

    @Override
    public boolean isStopped() {
        return scope.stopped().getAsBoolean();
    }
}
