package org.unimeros.engine.data;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.OptionalInt;
import java.util.Set;
import java.util.stream.Collectors;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/** An ordered list of fields. Names are compared without regard to case, and resolved with or without qualifier. */
public record Schema(List<Field> fields) implements Serializable {

    public Schema {
        fields = List.copyOf(fields);
    }

    public static Schema of(Field... fields) {
        return new Schema(List.of(fields));
    }

    public int size() {
        return fields.size();
    }

    public Field field(int index) {
        return fields.get(index);
    }

    public List<String> names() {
        return fields.stream().map(Field::name).toList();
    }

    /** The same fields, all under one qualifier. */
    public Schema qualified(String qualifier) {
        return new Schema(fields.stream().map(f -> f.qualified(qualifier)).toList());
    }

    public Schema concat(Schema other) {
        List<Field> all = new ArrayList<>(fields);
        all.addAll(other.fields);
        return new Schema(all);
    }

    public Schema pick(int[] indices) {
        List<Field> picked = new ArrayList<>();
        for (int index : indices) {
            picked.add(fields.get(index));
        }
        return new Schema(picked);
    }

    /** The index of the field with exactly this bare name, or -1. */
    public int indexOf(String name) {
        for (int i = 0; i < fields.size(); i++) {
            if (fields.get(i).name().equalsIgnoreCase(name)) {
                return i;
            }
        }
        return -1;
    }

    /**
     * Finds the field that a written name means: {@code column}, {@code input.column}, or a nested name such as {@code
     * device.model}. A field without qualifier that has just this name goes before others.
     *
     * @throws UserMistake when there is none, with the near names, or when several fit
     */
    public int resolve(String written) {
        OptionalInt found = find(written);
        if (found.isPresent()) {
            return found.getAsInt();
        }
        List<String> known = new ArrayList<>(names());
        fields.stream().filter(f -> f.qualifier() != null).map(Field::fullName).forEach(known::add);
        boolean qualified = written.contains(".");
        throw new UserMistake("unknown column " + written + NameSuggestions.hint(written, qualified ? known : names()));
    }

    /**
     * The same, empty when there is none.
     *
     * @throws UserMistake when several fit
     */
    public OptionalInt find(String written) {
        List<Integer> hits = new ArrayList<>();
        List<Integer> bare = new ArrayList<>();
        for (int i = 0; i < fields.size(); i++) {
            Field f = fields.get(i);
            if (f.name().equalsIgnoreCase(written) || f.fullName().equalsIgnoreCase(written)) {
                hits.add(i);
                if (f.qualifier() == null) {
                    bare.add(i);
                }
            }
        }
        if (hits.isEmpty()) {
            return OptionalInt.empty();
        }
        if (hits.size() == 1 || bare.size() == 1) {
            return OptionalInt.of(hits.size() == 1 ? hits.get(0) : bare.get(0));
        }
        String candidates = hits.stream().map(i -> fields.get(i).fullName()).collect(Collectors.joining(" or "));
        throw new UserMistake("column " + written + " is ambiguous: it could be " + candidates
                + "; name the input, as in input." + written);
    }

    /** Fails when two fields have the same bare name, which a dataset at rest cannot have. */
    public void requireUniqueNames(String purpose) {
        Set<String> seen = new HashSet<>();
        for (Field f : fields) {
            if (!seen.add(f.name().toLowerCase(Locale.ROOT))) {
                throw new UserMistake(purpose + " needs different column names, but " + f.name()
                        + " occurs twice; rename one, as in: select … as another_name");
            }
        }
    }

    @Override
    public String toString() {
        return fields.stream().map(Field::toString).collect(Collectors.joining(", ", "(", ")"));
    }
}
