package org.unimeros.storage.format;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;

/**
 * A column of a file.
 *
 * @param path where its values stand in a record: for JSON a path such as {@code device.battery}; else its name there
 * @param isGuessed whether the type was found in samples, so that values which it cannot hold exactly do not fit it; else they are rounded
 */
public record ColumnSpec(String name, DataType type, String path, boolean isGuessed) implements Serializable {

    /** A name, in double quotes where it has blanks, a type, and where its values stand. */
    private static final Pattern DECLARATION =
            Pattern.compile("(?:\"([^\"]+)\"|(\\S+))\\s+(.+?)(?:\\s+from\\s+(\\S+))?", Pattern.CASE_INSENSITIVE);

    public ColumnSpec(String name, DataType type, String path) {
        this(name, type, path, false);
    }

    public static ColumnSpec of(String name, DataType type) {
        return new ColumnSpec(name, type, name);
    }

    /** A column whose type was found in samples. */
    public static ColumnSpec guessed(String name, DataType type) {
        return new ColumnSpec(name, type, name, true);
    }

    /**
     * Columns as a text declares them, with commas between: {@code scan_id long, model text from device.model}.
     *
     * @throws UserMistake when one has no name or no type
     */
    public static List<ColumnSpec> parse(String text) {
        List<ColumnSpec> columns = new ArrayList<>();
        int start = 0;
        int depth = 0;
        boolean isQuoted = false;
        for (int i = 0; i <= text.length(); i++) {
            char c = i < text.length() ? text.charAt(i) : ',';
            isQuoted ^= c == '"';
            depth += c == '(' ? 1 : c == ')' ? -1 : 0;
            // Types have commas in parentheses, and names in quotes.
            if (c == ',' && (depth <= 0 && !isQuoted || i == text.length())) {
                columns.add(one(text.substring(start, i)));
                start = i + 1;
            }
        }
        return columns;
    }

    private static ColumnSpec one(String text) {
        Matcher parts = DECLARATION.matcher(text.strip());
        if (!parts.matches()) {
            throw new UserMistake(
                    "a column is declared as name and type, as in: weight_g int; but found '" + text.strip() + "'");
        }
        String name = parts.group(1) == null ? parts.group(2) : parts.group(1);
        return new ColumnSpec(name, DataType.parse(parts.group(3)), parts.group(4) == null ? name : parts.group(4));
    }
}
