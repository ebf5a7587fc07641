package org.unimeros.storage.format.json;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.storage.format.ColumnSpec;

/** What readers of one file after the other share: where the wanted fields are, and room for their values. One thread. */
final class JsonFields {

    /** The wanted fields below one object. */
    static final class Node {
        final Map<String, Node> children = new HashMap<>();
        int column = -1;
    }

    private final List<ColumnSpec> columns;
    private final Node root = new Node();
    private final BatchBuilder rows;
    private final boolean[] seen;

    JsonFields(List<ColumnSpec> columns) {
        this.columns = columns;
        this.rows = new BatchBuilder(columns.stream().map(ColumnSpec::type).toList());
        this.seen = new boolean[columns.size()];
        for (int c = 0; c < columns.size(); c++) {
            Node node = root;
            for (String step : columns.get(c).path().split("\\.")) {
                node = node.children.computeIfAbsent(step, s -> new Node());
            }
            node.column = c;
        }
    }

    ColumnSpec column(int index) {
        return columns.get(index);
    }

    Node root() {
        return root;
    }

    /** Takes rows, and is empty between files. */
    BatchBuilder rows() {
        return rows;
    }

    /** For noting which columns a record has. */
    boolean[] seen() {
        return seen;
    }
}
