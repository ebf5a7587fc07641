package org.unimeros.engine.data;

import java.io.Serializable;
import java.util.Objects;

/**
 * One column of a schema.
 *
 * @param qualifier the name of the input it came from, or null when it has none
 */
public record Field(String qualifier, String name, DataType type) implements Serializable {

    public Field {
        Objects.requireNonNull(name);
        Objects.requireNonNull(type);
    }

    public static Field of(String name, DataType type) {
        return new Field(null, name, type);
    }

    public Field qualified(String newQualifier) {
        return new Field(newQualifier, name, type);
    }

    /** The name as an expression would say it. */
    public String fullName() {
        return qualifier == null ? name : qualifier + "." + name;
    }

    @Override
    public String toString() {
        return fullName() + " " + type;
    }
}
