package org.unimeros.engine.expr;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Utf8;

/**
 * A pattern of {@code like}, in which {@code %} is any text and {@code _} any one character, held against UTF-8. Between the {@code %} stand
 * segments, each of which is looked for behind the one before it; taking the first place for each leaves most to those that follow, so
 * nothing has to be tried twice.
 */
final class Like {

    private final Segment[] segments;

    private final boolean isOpenAtStart;
    private final boolean isOpenAtEnd;

    /**
     * @param escape the character that takes the meaning from the one behind it, or -1
     * @throws IllegalArgumentException when the pattern ends with that character
     */
    Like(String pattern, int escape) {
        List<Segment> found = new ArrayList<>();
        Segment open = new Segment();
        boolean literally = false;
        boolean startsOpen = false;
        boolean endsOpen = false;
        for (int c : pattern.codePoints().toArray()) {
            if (!literally && c == escape) {
                literally = true;
                continue;
            }
            endsOpen = !literally && c == '%';
            if (endsOpen) {
                startsOpen |= found.isEmpty() && open.size == 0;
                if (open.size > 0) {
                    found.add(open);
                    open = new Segment();
                }
            } else {
                open.add(c, !literally && c == '_');
            }
            literally = false;
        }
        if (literally) {
            throw new IllegalArgumentException("the pattern '" + pattern + "' ends with its escape character");
        }
        if (open.size > 0 || !endsOpen && found.isEmpty()) {
            found.add(open);
        }
        this.segments = found.toArray(Segment[]::new);
        this.isOpenAtStart = startsOpen;
        this.isOpenAtEnd = endsOpen;
    }

    /** Whether a text is as the pattern says. */
    boolean matches(byte[] bytes, int start, int end) {
        int first = 0;
        int last = segments.length;
        int at = start;
        int before = end;
        if (!isOpenAtStart) {
            at = segments[first++].endAt(bytes, start, end);
            if (at < 0 || !isOpenAtEnd && last == 1) {
                return at == end;
            }
        }
        if (!isOpenAtEnd) {
            before = segments[--last].startBefore(bytes, at, end);
        }
        for (int s = first; s < last && at >= 0 && at <= before; s++) {
            at = segments[s].endBehind(bytes, at, before);
        }
        return at >= 0 && at <= before;
    }

    /** What stands between two {@code %}. */
    private static final class Segment {
        private byte[] parts = new byte[8];
        /** Which parts stand for any one character. */
        private boolean[] any = new boolean[8];

        private int size;
        private int characters;
        private boolean isLiteral = true;

        void add(int character, boolean isAny) {
            byte[] utf8 = isAny ? new byte[1] : Character.toString(character).getBytes(UTF_8);
            if (size + utf8.length > parts.length) {
                parts = Arrays.copyOf(parts, 2 * parts.length);
                any = Arrays.copyOf(any, parts.length);
            }
            System.arraycopy(utf8, 0, parts, size, utf8.length);
            any[size] = isAny;
            size += utf8.length;
            characters++;
            isLiteral &= !isAny;
        }

        /** Where the segment ends if it is at this place; -1 if it is not. */
        int endAt(byte[] bytes, int start, int end) {
            int at = start;
            for (int i = 0; i < size; i++) {
                if (at >= end || !any[i] && parts[i] != bytes[at]) {
                    return -1;
                }
                at = any[i] ? Utf8.skip(bytes, at, end, 1) : at + 1;
            }
            return at;
        }

        /** Where the segment begins if it is the last one; -1 if it is not. */
        int startBefore(byte[] bytes, int start, int end) {
            int at = isLiteral ? end - size : Utf8.skipBack(bytes, start, end, characters);
            return at >= start && endAt(bytes, at, end) == end ? at : -1;
        }

        /** Where the segment ends at the first place where it is; -1 if it is nowhere. */
        int endBehind(byte[] bytes, int start, int end) {
            if (isLiteral) {
                int at = Utf8.indexOf(bytes, start, end, parts, 0, size);
                return at < 0 ? -1 : at + size;
            }
            for (int at = start; at < end; at = Utf8.skip(bytes, at, end, 1)) {
                int found = endAt(bytes, at, end);
                if (found >= 0) {
                    return found;
                }
            }
            return -1;
        }
    }
}
