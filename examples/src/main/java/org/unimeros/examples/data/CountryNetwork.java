package org.unimeros.examples.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.unimeros.Engine;
import org.unimeros.Script;

/**
 * A parcel network over several countries in eight tables, and 22 questions of decision makers to it. Tables and questions
 * are SQL, and every value follows from its row number, so that another database can make and answer the same.
 */
public final class CountryNetwork {

    private CountryNetwork() {}

    /** A question in words and in SQL. */
    public record Question(String name, String sql) {}

    /** The statements that make the tables; scale 1 has 15,000 consignments of about 60,000 parcels. */
    public static String tables(int scale) {
        return resource("tables.sql").replace(":scale", Integer.toString(scale));
    }

    /** Makes the tables as datasets in the folder of an engine. */
    public static void make(Engine engine, int scale) {
        Script steps = engine.script(tables(scale), Map.of());
        while (steps.hasNext()) {
            steps.next();
        }
    }

    /** All questions, in their order. */
    public static List<Question> questions() {
        List<Question> questions = new ArrayList<>();
        for (String part : resource("queries.sql").split("(?m)^-- name: ")) {
            int end = part.indexOf('\n');
            if (end > 0) {
                String sql = part.substring(end + 1).strip();
                questions.add(new Question(part.substring(0, end), sql.substring(0, sql.length() - 1)));
            }
        }
        return questions;
    }

    private static String resource(String name) {
        try (InputStream in = CountryNetwork.class.getResourceAsStream("/network/" + name)) {
            return new String(in.readAllBytes(), UTF_8);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }
}
