package org.unimeros.cli;

import java.util.Map;

/**
 * What is known of the screen.
 *
 * @param outIsTerminal whether results are seen by a person, rather than read by a program
 * @param errIsTerminal whether progress can be shown
 * @param columns the width of the screen
 */
record Terminal(boolean outIsTerminal, boolean errIsTerminal, int columns) {

    static final Terminal NONE = new Terminal(false, false, 100);

    /** From what the launcher found out: {@code UNIMEROS_TERMINAL} holds "out", "err" and the columns. */
    static Terminal of(Map<String, String> environment) {
        String known = environment.getOrDefault("UNIMEROS_TERMINAL", "");
        int columns = 100;
        for (String word : known.split(" ")) {
            if (word.matches("\\d{2,4}")) {
                columns = Integer.parseInt(word);
            }
        }
        return new Terminal(known.contains("out"), known.contains("err"), columns);
    }
}
