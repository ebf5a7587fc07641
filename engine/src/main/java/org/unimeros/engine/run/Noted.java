package org.unimeros.engine.run;

import java.io.Serializable;
import java.util.List;

/**
 * What an attempt noted of what it read; it counts when the attempt does.
 *
 * @param problems of records that could not be read, a line each
 * @param records these records, where they are kept
 * @param warnings what the user should know
 */
public record Noted(List<String> problems, List<byte[]> records, List<String> warnings) implements Serializable {

    public static final Noted NOTHING = new Noted(List.of(), List.of(), List.of());

    public Noted {
        problems = List.copyOf(problems);
        records = List.copyOf(records);
        warnings = List.copyOf(warnings);
    }
}
