package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.examples.data.CountryNetwork;
import org.unimeros.examples.data.CountryNetwork.Question;

/**
 * The questions to a network of eight tables, against PostgreSQL, which makes the tables from the same statements. {@code
 * -Dunimeros.network.scale=10} makes them ten times as large.
 */
class CountryNetworkTest {

    private static final int SCALE = Integer.getInteger("unimeros.network.scale", 1);

    @TempDir
    Path root;

    private static final String SERIES = "create function series(a bigint, b bigint) returns bigint[] language sql as"
            + " $$ select array(select generate_series(a, b)) $$;\n";

    @Test
    void everyQuestionIsAnsweredAsPostgresAnswersIt() throws IOException, InterruptedException {
        Optional<Path> programs = PostgresCluster.installed();
        assumeTrue(programs.isPresent(), "PostgreSQL is not installed");
        Files.createDirectories(root.resolve("data"));
        Settings settings = Settings.defaults()
                .with("runs.folder", "")
                .with("memory.scratch", root.resolve("scratch").toString());
        List<String> different = new ArrayList<>();
        try (Engine engine = Engine.local(settings, root.resolve("data"));
                PostgresCluster postgres = PostgresCluster.start(programs.get())) {
            CountryNetwork.make(engine, SCALE);
            String made = postgres.sql(SERIES + CountryNetwork.tables(SCALE)
                    + "create index on consignments (shipper_id); create index on parcels (service_id, carrier_id);"
                    + " create index on parcels (consignment_id); create index on offers (service_id); analyze;");
            assertEquals("", made);
            List<PostgresAgreesTest.Query> queries = new ArrayList<>();
            for (String table : List.of("zones", "countries", "carriers", "shippers", "services", "offers")) {
                queries.add(new PostgresAgreesTest.Query("select * from " + table, "select * from " + table));
            }
            String sums =
                    "select count(*), sum(quantity), sum(price), sum(discount), sum(duty), min(sent_on), max(due_on),"
                            + " count(distinct mode), sum(carrier_id), sum(line) from parcels";
            queries.add(new PostgresAgreesTest.Query(sums, sums));
            for (Question question : CountryNetwork.questions()) {
                queries.add(new PostgresAgreesTest.Query(question.sql(), question.sql()));
            }
            List<String> theirs = PostgresAgreesTest.theirs(postgres, queries);
            List<String> empty = new ArrayList<>();
            for (int i = 0; i < queries.size(); i++) {
                String difference = PostgresAgreesTest.difference(engine, queries.get(i), theirs.get(i));
                if (difference != null) {
                    different.add(queries.get(i).ours() + "\n" + difference);
                }
                if (theirs.get(i).replaceAll("[\\s,0.]", "").isEmpty()) {
                    empty.add(queries.get(i).ours());
                }
            }
            assertEquals("", String.join("\n\n", different));
            assertEquals(List.of(), empty, "questions without an answer");
        }
    }
}
