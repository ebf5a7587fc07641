package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.math.MathContext;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.examples.data.DemoData;

/**
 * Queries over the demo data give what PostgreSQL gives, where it is installed. They stand in files by group, one after
 * the other, each ended by a semicolon; where the two say a thing in different words, a line {@code -- postgres:} before
 * the query has the other's. With {@code -Dunimeros.queries=NAME} only the groups whose name contains it are run.
 */
class PostgresAgreesTest {

    private static final String MARK = "~~~~";
    private static final List<String> TABLES =
            List.of("scans", "parcels", "shippers", "depots", "containers", "postcodes", "notes");

    @TempDir
    Path root;

    record Query(String ours, String theirs) {}

    @Test
    void queriesGiveWhatPostgresGives() throws IOException, InterruptedException {
        Optional<Path> programs = PostgresCluster.installed();
        assumeTrue(programs.isPresent(), "PostgreSQL is not installed");
        DemoData.make(root.resolve("demo"), 6_000, 7, n -> {});
        Settings settings = Settings.defaults()
                .with("runs.folder", "")
                .with("bad-records", "skip")
                .with("memory.scratch", root.resolve("scratch").toString());
        Map<String, Integer> equal = new LinkedHashMap<>();
        List<String> different = new ArrayList<>();
        // A record with a value of the wrong type is only noticed when that column is read.
        try (Engine demo = Engine.local(settings, root.resolve("demo"))) {
            for (String result : TABLES) {
                demo.read(result).write(root.resolve("clean/" + result).toString(), as -> as.format("parquet"));
            }
        }
        try (Engine engine = Engine.local(settings, root.resolve("clean"));
                PostgresCluster postgres = PostgresCluster.start(programs.get())) {
            for (String result : TABLES) {
                load(engine, postgres, result);
            }
            for (Path file : groups()) {
                String group = file.getFileName().toString().replace(".sql", "");
                List<Query> queries = queries(file);
                List<String> theirs = theirs(postgres, queries);
                for (int i = 0; i < queries.size(); i++) {
                    String difference = difference(engine, queries.get(i), theirs.get(i));
                    if (difference == null) {
                        equal.merge(group, 1, Integer::sum);
                    } else {
                        different.add(group + ": " + queries.get(i).ours + "\n" + difference);
                    }
                }
            }
        }
        System.out.println("queries equal to PostgreSQL's, by group: " + equal + ", in all "
                + equal.values().stream().mapToInt(n -> n).sum());
        assertEquals("", String.join("\n\n", different));
        assertTrue(!equal.isEmpty());
    }

    static List<Path> groups() throws IOException {
        String wanted = System.getProperty("unimeros.queries", "");
        Path folder = Path.of("src/test/resources/queries");
        try (Stream<Path> files = Files.list(folder)) {
            return files.filter(f -> f.getFileName().toString().contains(wanted))
                    .sorted()
                    .toList();
        }
    }

    static List<Query> queries(Path file) throws IOException {
        List<Query> queries = new ArrayList<>();
        String theirs = null;
        StringBuilder ours = new StringBuilder();
        for (String line : Files.readAllLines(file)) {
            if (line.startsWith("-- postgres: ")) {
                theirs = line.substring("-- postgres: ".length());
            } else if (!line.startsWith("--")) {
                ours.append(line).append('\n');
            }
            if (line.endsWith(";")) {
                String text = ours.toString().strip().replaceAll(";$", "");
                if (!text.isEmpty()) {
                    queries.add(new Query(text, theirs == null ? text : theirs.replaceAll(";$", "")));
                    theirs = null;
                    ours.setLength(0);
                }
            }
        }
        return queries;
    }

    private static void load(Engine engine, PostgresCluster postgres, String result)
            throws IOException, InterruptedException {
        Result rows = engine.read(result).fetch();
        StringBuilder sql = new StringBuilder("create table ").append(result).append(" (");
        Schema schema = rows.schema();
        for (int c = 0; c < schema.size(); c++) {
            Field field = schema.field(c);
            sql.append(c == 0 ? "" : ", ")
                    .append('"')
                    .append(field.name())
                    .append("\" ")
                    .append(postgresType(field.type()));
        }
        sql.append(");\ncopy ").append(result).append(" from stdin with csv;\n");
        for (Result.Row row : rows.rows()) {
            for (int c = 0; c < schema.size(); c++) {
                Object value = row.get(c);
                String text = value == null ? "" : Values.text(value);
                sql.append(c == 0 ? "" : ",")
                        .append(value instanceof String ? "\"" + text.replace("\"", "\"\"") + "\"" : text);
            }
            sql.append('\n');
        }
        sql.append("\\.\nanalyze ").append(result).append(";\n");
        assertEquals("", postgres.sql(sql.toString()));
    }

    private static String postgresType(DataType type) {
        return switch (type) {
            case DataType.Simple.LONG -> "bigint";
            case DataType.Simple.DOUBLE -> "double precision";
            case DataType.Decimal d -> "numeric(" + d.precision() + "," + d.scale() + ")";
            default -> type.toString();
        };
    }

    /** What PostgreSQL prints for each query: rows as CSV. */
    static List<String> theirs(PostgresCluster postgres, List<Query> queries) throws IOException, InterruptedException {
        StringBuilder script = new StringBuilder();
        for (Query query : queries) {
            String one = query.theirs.replace('\n', ' ');
            script.append("copy (")
                    .append(one)
                    .append(") to stdout with csv;\n\\echo ")
                    .append(MARK)
                    .append('\n');
        }
        List<String> parts =
                new ArrayList<>(List.of(postgres.sql(script.toString()).split(MARK + "\n", -1)));
        assertEquals(queries.size() + 1, parts.size());
        return parts;
    }

    static String difference(Engine engine, Query query, String theirs) {
        List<List<String>> ours;
        try {
            ours = rows(engine.sql(query.ours).fetch());
        } catch (UnimerosException e) {
            return e.getMessage();
        }
        if (theirs.startsWith("ERROR")) {
            return "PostgreSQL: " + theirs;
        }
        List<List<String>> expected = csv(theirs);
        boolean ordered = endsWithOrder(query.ours);
        if (!ordered) {
            ours.sort(PostgresAgreesTest::compare);
            expected.sort(PostgresAgreesTest::compare);
        }
        if (ours.size() != expected.size()) {
            return ours.size() + " rows, PostgreSQL has " + expected.size() + "\nours:   " + head(ours) + "\ntheirs: "
                    + head(expected);
        }
        for (int i = 0; i < ours.size(); i++) {
            if (!same(ours.get(i), expected.get(i))) {
                return "row " + i + "\nours:   " + ours.get(i) + "\ntheirs: " + expected.get(i);
            }
        }
        return null;
    }

    /** Whether there is an order outside of all parentheses. */
    private static boolean endsWithOrder(String sql) {
        String outside = sql.toLowerCase(Locale.ROOT);
        String before;
        do {
            before = outside;
            outside = outside.replaceAll("\\([^()]*\\)", " ");
        } while (!outside.equals(before));
        return outside.contains("order by");
    }

    private static List<List<String>> head(List<List<String>> rows) {
        return rows.subList(0, Math.min(3, rows.size()));
    }

    private static List<List<String>> rows(Result result) {
        List<List<String>> rows = new ArrayList<>();
        for (Result.Row row : result.rows()) {
            List<String> cells = new ArrayList<>();
            for (int c = 0; c < result.schema().size(); c++) {
                Object value = row.get(c);
                cells.add(value == null ? null : canonical(Values.text(value)));
            }
            rows.add(cells);
        }
        return rows;
    }

    /** Numbers to twelve digits, truth values as PostgreSQL prints them. */
    private static String canonical(String text) {
        if (text.equals("true") || text.equals("false")) {
            return text.substring(0, 1);
        }
        if (text.matches("-?[0-9]+(\\.[0-9]+)?([eE][-+]?[0-9]+)?") && text.length() < 40) {
            BigDecimal number = new BigDecimal(text).round(new MathContext(12)).stripTrailingZeros();
            return number.signum() == 0 ? "0" : number.toPlainString();
        }
        return text.matches("\\d{4}-\\d\\d-\\d\\d \\d\\d:\\d\\d:\\d\\d.*") ? text.replaceAll("(\\+00)$", "") : text;
    }

    /** Rows of CSV as PostgreSQL writes it: an empty cell is null unless it is quoted. */
    private static List<List<String>> csv(String text) {
        List<List<String>> rows = new ArrayList<>();
        int at = 0;
        while (at < text.length()) {
            List<String> cells = new ArrayList<>();
            boolean more = true;
            while (more) {
                StringBuilder cell = new StringBuilder();
                boolean quoted = at < text.length() && text.charAt(at) == '"';
                if (quoted) {
                    at++;
                    while (text.charAt(at) != '"' || at + 1 < text.length() && text.charAt(at + 1) == '"') {
                        at += text.charAt(at) == '"' ? 1 : 0;
                        cell.append(text.charAt(at++));
                    }
                    at++;
                } else {
                    while (text.charAt(at) != ',' && text.charAt(at) != '\n') {
                        cell.append(text.charAt(at++));
                    }
                }
                cells.add(!quoted && cell.isEmpty() ? null : canonical(cell.toString()));
                more = text.charAt(at++) == ',';
            }
            rows.add(cells);
        }
        return rows;
    }

    private static int compare(List<String> a, List<String> b) {
        for (int i = 0; i < Math.min(a.size(), b.size()); i++) {
            String x = String.valueOf(a.get(i));
            String y = String.valueOf(b.get(i));
            if (!x.equals(y)) {
                return x.compareTo(y);
            }
        }
        return a.size() - b.size();
    }

    private static boolean same(List<String> ours, List<String> theirs) {
        if (ours.size() != theirs.size()) {
            return false;
        }
        for (int i = 0; i < ours.size(); i++) {
            String a = ours.get(i);
            String b = theirs.get(i);
            if (a == null || b == null ? a != b : !a.equals(b) && !close(a, b)) {
                return false;
            }
        }
        return true;
    }

    private static boolean close(String a, String b) {
        try {
            double x = Double.parseDouble(a);
            double y = Double.parseDouble(b);
            return Math.abs(x - y) <= 1e-9 * Math.max(Math.abs(x), Math.abs(y));
        } catch (NumberFormatException e) {
            return false;
        }
    }
}
