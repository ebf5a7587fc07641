package org.unimeros.engine.expr;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.IOException;
import java.io.InputStream;
import java.util.LinkedHashMap;
import java.util.Map;
import org.unimeros.engine.error.InternalFault;

/**
 * What is said of functions: a text file for each family, beside this class. A function is four lines: how it is called, what it gives, an example,
 * and what that gives, empty for null.
 *
 * <pre>
 * abs(number)
 *     The number without its sign. Fails for the least int and long.
 *     abs(-2.5)
 *     = 2.5
 * </pre>
 */
final class FunctionTexts {

    private static final int LINES = 4;

    private FunctionTexts() {}

    /** What is said of one function. */
    record Text(String usage, String description, String example, String result) {}

    /** The functions of a family by name, in the order of the file. */
    static Map<String, Text> of(String family) {
        Map<String, Text> texts = new LinkedHashMap<>();
        for (String entry : read(family + ".txt").strip().split("\n\n")) {
            String[] lines = entry.lines().map(String::strip).toArray(String[]::new);
            boolean isWhole = lines.length == LINES && lines[0].indexOf('(') > 0 && lines[3].startsWith("=");
            if (!isWhole) {
                throw new InternalFault("not what is said of a function, in " + family + ": " + entry);
            }
            String name = lines[0].substring(0, lines[0].indexOf('('));
            Text text =
                    new Text(lines[0], lines[1], lines[2], lines[3].substring(1).strip());
            if (texts.put(name, text) != null) {
                throw new InternalFault("two functions " + name + " in " + family);
            }
        }
        return texts;
    }

    private static String read(String file) {
        try (InputStream in = FunctionTexts.class.getResourceAsStream(file)) {
            if (in == null) {
                throw new InternalFault("there is no " + file + " beside the classes");
            }
            return new String(in.readAllBytes(), UTF_8);
        } catch (IOException e) {
            throw new InternalFault("cannot read " + file, e);
        }
    }
}
