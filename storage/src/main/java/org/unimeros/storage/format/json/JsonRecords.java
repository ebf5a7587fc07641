package org.unimeros.storage.format.json;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.Notation;
import org.unimeros.storage.format.TextRecords;

/**
 * What readers of one file after the other share: where the wanted fields are, and the values of the records that were read. Texts, and what is read
 * from them, are kept as they stand until a batch is full; all other values are added to columns at once. One thread.
 */
final class JsonRecords {

    /** The texts of a batch are held until it is made, so records that are very long make smaller ones. */
    private static final int MOST_BYTES = 1 << 22;

    private static final int ASCII = 128;
    private static final int MOST_TOLD = 20;

    /** The wanted fields below one object. */
    static final class Node {
        /** Fields beyond are looked for each time. */
        private static final int MOST_PLACES = 256;

        private final Map<String, Node> children = new HashMap<>();
        private int column = -1;
        /** Is told of fields that nobody wants; null where nobody asks. */
        private Consumer<String> others;
        /** By how many fields an object has before it, the one that the last object had there, and what was found for it. */
        private String[] names = new String[8];

        private Node[] found = new Node[8];

        /** Which column it is, or -1. */
        int column() {
            return column;
        }

        boolean hasChildren() {
            return !children.isEmpty();
        }

        /**
         * What is wanted of a field, or null. Most objects have the same fields in the same order.
         *
         * @param place how many fields the object has before it
         */
        Node child(String field, int place) {
            if (place < names.length && field.equals(names[place])) {
                return found[place];
            }
            Node child = children.get(field);
            if (child == null && others != null) {
                others.accept(field);
            }
            if (place < MOST_PLACES) {
                if (place >= names.length) {
                    names = Arrays.copyOf(names, 2 * place);
                    found = Arrays.copyOf(found, 2 * place);
                }
                names[place] = field;
                found[place] = child;
            }
            return child;
        }
    }

    private final ColumnSpec[] columns;
    private final Node root = new Node();
    private final TextRecords texts;
    /** By column; null for those that are read from texts. */
    private final ColumnBuilder[] builders;

    private final boolean[] seen;
    private final Set<String> told = new HashSet<>();
    private byte[] bytes = new byte[256];
    private int filled;
    /** Where the texts of the records end that were ended. */
    private int ended;

    JsonRecords(List<ColumnSpec> columns, boolean keepsRaw, Notation notation) {
        this.columns = columns.toArray(ColumnSpec[]::new);
        this.texts = new TextRecords(columns, columns.size(), Batch.TARGET_ROWS, keepsRaw, notation);
        this.builders = new ColumnBuilder[columns.size()];
        this.seen = new boolean[columns.size()];
        for (int c = 0; c < builders.length; c++) {
            ColumnSpec column = columns.get(c);
            if (isReadFromText(column.type())) {
                texts.read(c, c);
            } else {
                builders[c] = ColumnBuilder.of(column.type());
            }
            Node node = root;
            for (String step : column.path().split("\\.")) {
                node = node.children.computeIfAbsent(step, s -> new Node());
            }
            node.column = c;
        }
    }

    /** The library reads whole numbers, what is nested has no text, and the others are rare. */
    private static boolean isReadFromText(DataType type) {
        return type == DataType.TEXT
                || type == DataType.DATE
                || type == DataType.TIMESTAMP
                || type == DataType.DOUBLE
                || type instanceof DataType.Decimal;
    }

    /** Has each field told once that is neither wanted nor one of those that are known. */
    void tellOthers(Set<String> known, Consumer<String> listener) {
        root.others = field -> {
            if (told.size() < MOST_TOLD && !known.contains(field) && told.add(field)) {
                listener.accept(field);
            }
        };
    }

    Node root() {
        return root;
    }

    ColumnSpec column(int index) {
        return columns[index];
    }

    /** Takes the values of a column; null for one that is read from texts. */
    ColumnBuilder builder(int column) {
        return builders[column];
    }

    boolean keepsRaw() {
        return texts.keepsRaw();
    }

    boolean isFull() {
        return texts.isFull() || filled > MOST_BYTES;
    }

    /** Begins a record. */
    void open() {
        Arrays.fill(seen, false);
        texts.open();
    }

    /** Notes that the record has a column; false where it had it before. */
    boolean sees(int column) {
        boolean isFirst = !seen[column];
        seen[column] = true;
        return isFirst;
    }

    /**
     * Takes the text of a column.
     *
     * @param isBare whether it stands in no quotes
     */
    void take(int column, char[] chars, int offset, int length, boolean isBare) {
        reserve(length);
        byte[] to = bytes;
        int start = filled;
        for (int i = 0; i < length; i++) {
            char c = chars[offset + i];
            if (c >= ASCII) {
                take(column, new String(chars, offset, length), isBare);
                return;
            }
            to[start + i] = (byte) c;
        }
        filled = start + length;
        texts.note(column, start, filled, isBare);
    }

    void take(int column, String text, boolean isBare) {
        byte[] utf8 = text.getBytes(UTF_8);
        reserve(utf8.length);
        System.arraycopy(utf8, 0, bytes, filled, utf8.length);
        texts.note(column, filled, filled + utf8.length, isBare);
        filled += utf8.length;
    }

    private void reserve(int length) {
        if (length > bytes.length - filled) {
            bytes = Arrays.copyOf(bytes, Math.max(2 * bytes.length, Math.addExact(filled, length)));
        }
    }

    /**
     * Ends the record.
     *
     * @param raw its line, where lines are {@linkplain #keepsRaw kept}
     */
    void end(long line, byte[] raw) {
        for (int c = 0; c < builders.length; c++) {
            if (builders[c] != null && !seen[c]) {
                builders[c].appendNull();
            }
        }
        keep(raw);
        texts.end(line);
        ended = filled;
    }

    private void keep(byte[] raw) {
        if (texts.keepsRaw()) {
            texts.keep(raw);
        }
    }

    /** Forgets what a record has that was begun and not ended, if any. */
    void drop() {
        for (ColumnBuilder builder : builders) {
            if (builder != null) {
                builder.truncate(texts.rows());
            }
        }
        texts.drop();
        filled = ended;
    }

    /** Takes note of a line that is no record, after what was begun of it was {@linkplain #drop dropped}. */
    void refuse(String problem, long line, byte[] raw) {
        for (ColumnBuilder builder : builders) {
            if (builder != null) {
                builder.appendNull();
            }
        }
        keep(raw);
        texts.refuse(problem, line);
    }

    /** The records so far but those that do not fit, which may leave none; there are none afterwards. */
    Batch build(TextRecords.BadRecord bad) {
        Column[] built = new Column[columns.length];
        for (int c = 0; c < built.length; c++) {
            built[c] = builders[c] == null ? null : builders[c].build();
        }
        filled = 0;
        ended = 0;
        return texts.build(bytes, built, bad);
    }
}
