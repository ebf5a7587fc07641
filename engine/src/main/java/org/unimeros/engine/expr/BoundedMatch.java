package org.unimeros.engine.expr;

import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.error.BadData;

/**
 * A text that a regular expression may look at only so often. Expressions such as {@code (a|b|ab)*c} can take time that doubles with each
 * character; a task with one would never end.
 */
final class BoundedMatch implements CharSequence {

    private static final long LOOKS = 50_000_000;
    private static final long LOOKS_PER_CHARACTER = 2_000;

    private final String text;
    private final Pattern pattern;
    private long left;

    private BoundedMatch(String text, Pattern pattern) {
        this.text = text;
        this.pattern = pattern;
        this.left = LOOKS + LOOKS_PER_CHARACTER * text.length();
    }

    static Matcher of(Pattern pattern, String text) {
        return pattern.matcher(new BoundedMatch(text, pattern));
    }

    @Override
    public char charAt(int index) {
        if (--left < 0) {
            throw new BadData("the regular expression '" + pattern + "' takes too long for a text of " + text.length()
                    + " characters that begins with '" + text.substring(0, Math.min(40, text.length()))
                    + "'; write it without alternatives or repetitions that can match the same text in many ways");
        }
        return text.charAt(index);
    }

    @Override
    public int length() {
        return text.length();
    }

    @Override
    public CharSequence subSequence(int start, int end) {
        return text.substring(start, end);
    }

    @Override
    public String toString() {
        return text;
    }
}
