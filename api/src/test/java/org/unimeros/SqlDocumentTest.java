package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.UserMistake;

/** What the document says is not supported is refused, with the message that stands there. */
class SqlDocumentTest {

    private static final Pattern LINE = Pattern.compile("\\| `(.*)` \\| (.*) \\|");

    @TempDir
    Path root;

    @Test
    void everythingUnsupportedIsRefusedWithItsMessage() throws IOException {
        Files.writeString(
                root.resolve("parcels.csv"), "parcel_id,service,weight_g,posted_on\n1,express,500,2031-03-01\n");
        List<String> wrong = new ArrayList<>();
        int lines = 0;
        try (Engine engine = Engine.local(Settings.defaults().with("runs.folder", ""), root)) {
            String document = Files.readString(Path.of("../docs/SQL.md"));
            for (String line :
                    document.substring(document.indexOf("## What there is not")).split("\n")) {
                Matcher m = LINE.matcher(line);
                if (m.matches()) {
                    lines++;
                    String message = message(engine, m.group(1));
                    if (!message.contains(m.group(2))) {
                        wrong.add(m.group(1) + "\n  says: " + message + "\n  not:  " + m.group(2));
                    }
                }
            }
        }
        assertEquals("", String.join("\n", wrong));
        assertTrue(lines > 20, lines + " lines");
    }

    private static String message(Engine engine, String sql) {
        try {
            engine.script(sql, Map.of()).next();
            return "nothing";
        } catch (UserMistake e) {
            return e.getMessage();
        }
    }
}
