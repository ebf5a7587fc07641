package org.unimeros.cli;

import java.util.Map;
import java.util.regex.Pattern;

/**
 * Marks text on a terminal; nothing where there is none, or where its user wants none. What a colour says is in the text as well.
 *
 * @param areOn whether there are any
 */
record Colours(boolean areOn) {

    private static final String BOLD = "1";
    private static final String RED = "31";
    private static final String YELLOW = "33";
    private static final String GREEN = "32";
    private static final Pattern FIRST = Pattern.compile("(?m)^-.*$");
    private static final Pattern SECOND = Pattern.compile("(?m)^\\+.*$");
    private static final Pattern SLOW = Pattern.compile("(?m)\\d+ % of all task time$");
    private static final Pattern STAGE = Pattern.compile("(?m)^stage \\d+");
    private static final Pattern WARNING = Pattern.compile("(?m)^warning:");

    /** Whether those who use this environment want colours ({@code NO_COLOR}), and their terminal knows them. */
    static boolean areWanted(Map<String, String> environment) {
        return environment.getOrDefault("NO_COLOR", "").isEmpty()
                && !environment.getOrDefault("TERM", "dumb").equals("dumb");
    }

    String heading(String text) {
        return paint(BOLD, text);
    }

    String error(String text) {
        return paint(RED, text);
    }

    String warning(String text) {
        return paint(YELLOW, text);
    }

    /** A printed plan: its stages, the steps that took much, warnings. */
    String plan(String text) {
        if (!areOn) {
            return text;
        }
        String slow = SLOW.matcher(text).replaceAll(found -> warning(found.group()));
        String stages = STAGE.matcher(slow).replaceAll(found -> heading(found.group()));
        return WARNING.matcher(stages).replaceAll(found -> warning(found.group()));
    }

    /** Two plans as one: what only the first one has, and what only the second one has. */
    String difference(String text) {
        if (!areOn) {
            return text;
        }
        String first = FIRST.matcher(text).replaceAll(found -> error(found.group()));
        return SECOND.matcher(first).replaceAll(found -> paint(GREEN, found.group()));
    }

    private String paint(String code, String text) {
        return areOn ? "\u001b[" + code + "m" + text + "\u001b[0m" : text;
    }
}
