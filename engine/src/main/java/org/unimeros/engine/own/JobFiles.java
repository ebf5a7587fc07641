package org.unimeros.engine.own;

import java.util.Set;
import java.util.function.Supplier;
import org.unimeros.engine.error.UserMistake;

/** What a job brings along beside its plan, where tasks run. Thread-safe. */
public interface JobFiles {

    /** Finds the classes of the job; null where they are those of this process. */
    ClassLoader loader();

    /**
     * The path of an attached file, or of the folder of an archive.
     *
     * @throws UserMistake when nothing of that name is attached
     */
    String attachment(String name);

    /** The names of attached files and archives. */
    Set<String> names();

    /** A value that all tasks use, made when the first one asks for it. */
    Object shared(String key, Supplier<Object> value);

    /** Of a job that brings nothing. */
    JobFiles NONE = new JobFiles() {
        @Override
        public ClassLoader loader() {
            return null;
        }

        @Override
        public String attachment(String name) {
            throw new UserMistake("nothing is attached as " + name + "; attach files before the job runs");
        }

        @Override
        public Set<String> names() {
            return Set.of();
        }

        @Override
        public Object shared(String key, Supplier<Object> value) {
            return value.get();
        }
    };
}
