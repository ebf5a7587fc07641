package org.unimeros.sql;

import java.util.Arrays;
import java.util.List;
import net.sf.jsqlparser.schema.Column;

/** Names as they are written in a statement, and what they mean. */
final class SqlNames {

    private SqlNames() {}

    /** The name of a column, without the quotes of its parts. */
    static String name(Column column) {
        return String.join(".", nameParts(column));
    }

    /** The parts of the name of a column, without their quotes. */
    static List<String> nameParts(Column column) {
        String index = column.getArrayConstructor() == null
                ? ""
                : column.getArrayConstructor().toString();
        String name = column.getFullyQualifiedName();
        String bare = name.endsWith(index) ? name.substring(0, name.length() - index.length()) : name;
        return Arrays.stream(bare.split("\\.(?=(?:[^\"]*\"[^\"]*\")*[^\"]*$)"))
                .map(SqlNames::unquoted)
                .toList();
    }

    static String unquoted(String name) {
        boolean quoted = name.length() >= 2
                && (name.startsWith("\"") && name.endsWith("\"") || name.startsWith("'") && name.endsWith("'"));
        return quoted ? name.substring(1, name.length() - 1) : name;
    }
}
