package org.unimeros.cli;

import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * What is known of the screen.
 *
 * @param outIsTerminal whether results are seen by a person, rather than read by a program
 * @param errIsTerminal whether progress can be shown
 * @param columns the width of the screen
 * @param isPlain whether it shows no other characters than those of ASCII
 * @param hasColours whether it shows colours, and its user wants them
 */
record Terminal(boolean outIsTerminal, boolean errIsTerminal, int columns, boolean isPlain, boolean hasColours) {

    static final Terminal NONE = new Terminal(false, false, 100);

    /** A screen that shows all characters, without colours. */
    Terminal(boolean outIsTerminal, boolean errIsTerminal, int columns) {
        this(outIsTerminal, errIsTerminal, columns, false, false);
    }

    /** How results are marked. */
    Colours outColours() {
        return new Colours(outIsTerminal && hasColours);
    }

    /** How what stands beside results is marked. */
    Colours errColours() {
        return new Colours(errIsTerminal && hasColours);
    }

    /** From what the launcher found out: {@code UNIMEROS_TERMINAL} holds "out", "err" and the columns. */
    static Terminal of(Map<String, String> environment) {
        String known = environment.getOrDefault("UNIMEROS_TERMINAL", "");
        int columns = 100;
        for (String word : known.split(" ")) {
            if (word.matches("\\d{2,4}")) {
                columns = Integer.parseInt(word);
            }
        }
        return new Terminal(
                known.contains("out"),
                known.contains("err"),
                columns,
                known.contains("out") && isPlain(environment),
                Colours.areWanted(environment));
    }

    /** What is said first of these counts, as for all programs of a terminal; a pipe takes every character. */
    private static boolean isPlain(Map<String, String> environment) {
        for (String name : List.of("LC_ALL", "LC_CTYPE", "LANG")) {
            String locale = environment.getOrDefault(name, "");
            if (!locale.isEmpty()) {
                return !locale.toLowerCase(Locale.ROOT).replace("-", "").contains("utf8");
            }
        }
        return true;
    }
}
