package org.unimeros.sql;

import net.sf.jsqlparser.expression.StringValue;
import org.unimeros.engine.error.UserMistake;

/** Texts in quotes: as they stand, or with escapes behind an {@code E}. */
final class TextLiteral {

    private TextLiteral() {}

    static String of(StringValue literal) {
        String prefix = literal.getPrefix();
        if (prefix == null || prefix.isEmpty()) {
            return literal.getNotExcapedValue();
        }
        if (prefix.equalsIgnoreCase("E")) {
            return unescaped(literal.getNotExcapedValue());
        }
        throw Refused.unsupported("a text with " + prefix + " before it", "write it without, or as E'…'");
    }

    private static String unescaped(String text) {
        StringBuilder out = new StringBuilder();
        int at = 0;
        while (at < text.length()) {
            char c = text.charAt(at++);
            if (c != '\\') {
                out.append(c);
            } else if (at == text.length()) {
                throw new UserMistake("a text with E before it ends in the middle of an escape");
            } else {
                at = escape(text, at, out);
            }
        }
        return out.toString();
    }

    /** Appends what an escape means; returns the place behind it. */
    private static int escape(String text, int at, StringBuilder out) {
        char kind = text.charAt(at);
        switch (kind) {
            case 'n' -> out.append('\n');
            case 't' -> out.append('\t');
            case 'r' -> out.append('\r');
            case 'b' -> out.append('\b');
            case 'f' -> out.append('\f');
            case '\\', '\'', '"' -> out.append(kind);
            case 'u' -> {
                return unicode(text, at + 1, 4, out);
            }
            case 'U' -> {
                return unicode(text, at + 1, 8, out);
            }
            default ->
                throw new UserMistake(
                        "unknown escape \\" + kind
                                + " in a text with E before it; there are \\n, \\t, \\r, \\b, \\f, \\\\, \\', \\uXXXX and \\UXXXXXXXX");
        }
        return at + 1;
    }

    private static int unicode(String text, int at, int digits, StringBuilder out) {
        int end = at + digits;
        String code = text.substring(Math.min(at, text.length()), Math.min(end, text.length()));
        if (!code.matches("[0-9A-Fa-f]{" + digits + "}")
                || !Character.isValidCodePoint((int) Long.parseLong(code, 16))) {
            throw new UserMistake(
                    "an escape needs " + digits + " hexadecimal digits of a character, but found '" + code + "'");
        }
        out.appendCodePoint((int) Long.parseLong(code, 16));
        return end;
    }
}
