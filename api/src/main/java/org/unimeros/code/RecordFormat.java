package org.unimeros.code;

/**
 * A file format of a job: {@link LineFormat} for lines of text, {@link FileFormat} for anything else. Known to an engine by
 * {@link org.unimeros.Engine#defineFormat}, or by itself, where the jar of the job names its class in
 * {@code META-INF/services/org.unimeros.code.RecordFormat}. {@code taskBegins} and {@code taskEnds} are called for each file that is read or
 * written.
 *
 * @param <T> a record has a column per component; any other type a single one
 */
public sealed interface RecordFormat<T> extends TaskCode permits LineFormat, FileFormat {

    /** The name by which it is chosen: {@code read(path, o -> o.format("manifest"))}. */
    String name();

    /** The class of its records. */
    Class<T> type();

    /** The ending of its files, with the dot; files with it are read in this format. */
    default String ending() {
        return "." + name();
    }
}
