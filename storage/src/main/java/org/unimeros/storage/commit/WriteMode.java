package org.unimeros.storage.commit;

import java.util.List;
import java.util.stream.Stream;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/** What becomes of data that is at the target already. */
public enum WriteMode {
    /** There must be none. */
    FAIL("fail"),
    /** It stays; the new files come beside it. */
    APPEND("append"),
    /** Partitions that get new rows are replaced; all others stay. */
    REPLACE_PARTITIONS("replace-partitions"),
    /** All of it is replaced. */
    REPLACE("replace");

    private final String label;

    WriteMode(String label) {
        this.label = label;
    }

    public static WriteMode parse(String name) {
        for (WriteMode mode : values()) {
            if (mode.label.equals(name)) {
                return mode;
            }
        }
        List<String> names = Stream.of(values()).map(mode -> mode.label).toList();
        throw new UserMistake("unknown write mode " + name + NameSuggestions.hint(name, names));
    }
}
