package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Queries over small tables, with answers that can be checked by eye. */
class SqlResultsTest {

    @TempDir
    static Path root;

    private static Engine engine;

    @BeforeAll
    static void open() throws IOException {
        Files.writeString(root.resolve("parcels.csv"), """
                parcel_id,shipper_id,service,weight_g,posted_on,price
                1,10,express,500,2031-03-01,4.50
                2,10,standard,1500,2031-03-01,3.20
                3,20,,2500,2031-03-02,3.20
                4,20,express,,2031-03-02,
                5,30,standard,12000,2031-03-03,9.99
                6,99,evening,700,2031-03-15,5.00
                """);
        Files.writeString(root.resolve("shippers.csv"), """
                shipper_id,name,tier
                10,Lampen Lindental,gold
                20,"Garne & Söhne, Altmühle",basic
                30,Tee Nordkamp,gold
                40,Noten Torfmoor,silver
                """);
        Files.writeString(root.resolve("empty.csv"), "a,b\n");
        Settings settings = Settings.defaults().with("runs.folder", "").with("shuffle.parts", "3");
        engine = Engine.local(settings, root);
    }

    @AfterAll
    static void close() {
        engine.close();
    }

    /** Expected rows are separated by " / ", cells by " | "; in any order unless the query orders them. */
    @ParameterizedTest
    @CsvSource(
            delimiterString = " => ",
            quoteCharacter = '`',
            maxCharsPerColumn = 5000,
            value = {
                "select parcel_id from parcels where weight_g > 1000 => 2 / 3 / 5",
                "select parcel_id from parcels where weight_g is null => 4",
                "select parcel_id from parcels where not (weight_g > 1000) => 1 / 6",
                "select parcel_id from parcels where service in ('express', 'evening') => 1 / 4 / 6",
                "select parcel_id from parcels where service not in ('express') => 2 / 5 / 6",
                "select parcel_id from parcels where service like '%ing' or service is null => 3 / 6",
                "select parcel_id from parcels where posted_on between '2031-03-02' and date '2031-03-03' => 3 / 4 / 5",
                "select parcel_id from parcels where posted_on > date '2031-03-01' + interval '1' week => 6",
                "select parcel_id from parcels where price = 3.2 => 2 / 3",
                "select parcel_id from parcels where weight_g / 1000 = 2 => 3",
                "select parcel_id from parcels where weight_g <> 0 and 1000 / weight_g >= 1 => 1 / 6",
                "select sum(weight_g), count(weight_g), count(*), avg(weight_g) from parcels => 17200 | 5 | 6 | 3440.0",
                "select sum(price), min(price), max(price) from parcels => 25.89 | 3.2 | 9.99",
                "select service, count(*) from parcels group by service => express | 2 / standard | 2 /  | 1 / evening | 1",
                "select count(*) from parcels where weight_g > 99999 => 0",
                "select sum(weight_g), min(service) from parcels where weight_g > 99999 => |",
                "select count(*), count(a), max(b) from empty => 0 | 0 |",
                "select a from empty group by a => ",
                "select distinct service is null as none from parcels => false / true",
                "select count(*) filter (where service = 'express') as e, share(weight_g > 1000) as s from parcels => 2 | 0.6",
                "select bool_or(weight_g > 9000), bool_and(weight_g > 9000) from parcels => true | false",
                "select month(posted_on) m, count(*) n from parcels group by month(posted_on) => 3 | 6",
                "select extract(day from posted_on) d, count(*) n from parcels group by 1 order by 1 desc limit 2 => 15 | 1 / 3 | 1",
                "select date_trunc('week', posted_on) w, count(*) from parcels group by 1 order by 1 => 2031-02-24 | 4 / 2031-03-03 | 1 / 2031-03-10 | 1",
                "select service from parcels group by service having count(*) > 1 order by service => express / standard",
                "select service, max(weight_g) - min(weight_g) as spread from parcels where service = 'standard' group by 1 => standard | 10500",
                "select parcel_id from parcels order by weight_g desc nulls last, parcel_id limit 3 => 5 / 3 / 2",
                "select parcel_id from parcels order by weight_g limit 2 offset 1 => 6 / 2",
                "select parcel_id from parcels order by weight_g desc limit 1 => 4",
                "select parcel_id as p, weight_g w from parcels order by w nulls first limit 2 => 4 | / 1 | 500",
                "select parcel_id from parcels order by price * -1 nulls last, 1 desc limit 2 => 5 / 6",
                "select p.parcel_id, s.name from parcels p join shippers s on p.shipper_id = s.shipper_id where s.tier = 'gold' => 1 | Lampen Lindental / 2 | Lampen Lindental / 5 | Tee Nordkamp",
                "select p.parcel_id, s.tier from parcels p left join shippers s on p.shipper_id = s.shipper_id where p.parcel_id > 4 => 5 | gold / 6 |",
                "select s.name from shippers s left join parcels p on s.shipper_id = p.shipper_id where p.parcel_id is null => Noten Torfmoor",
                "select s.tier, count(p.parcel_id) n from shippers s left join parcels p using (shipper_id) group by s.tier => gold | 3 / basic | 2 / silver | 0",
                "select a.parcel_id, b.parcel_id from parcels a join parcels b on a.shipper_id = b.shipper_id and a.parcel_id < b.parcel_id => 1 | 2 / 3 | 4",
                "select a.parcel_id, count(b.parcel_id) n from parcels a left join parcels b on b.weight_g > a.weight_g group by 1 => 1 | 4 / 2 | 2 / 3 | 1 / 4 | 0 / 5 | 0 / 6 | 3",
                "select count(*) from parcels, shippers => 24",
                "select count(*) from parcels p, shippers s where p.shipper_id = s.shipper_id => 5",
                "select tier, n from (select tier, count(*) as n from shippers group by tier) t where n > 1 => gold | 2",
                "with heavy as (select * from parcels where weight_g > 1000) select count(*) from heavy => 3",
                "select 1 as x union select 1 union select 2 => 1 / 2",
                "select 1 as x union all select 1 => 1 / 1",
                "select parcel_id as x from parcels where parcel_id < 3 union all select shipper_id from shippers order by x desc limit 2 => 40 / 30",
                "select 1 as x union all select 2.5 => 1.0 / 2.5",
                "select case when weight_g > 10000 then 'heavy' when weight_g > 1000 then 'medium' else 'light' end c, count(*) from parcels group by 1 => light | 3 / medium | 2 / heavy | 1",
                "select coalesce(service, 'none') from parcels where parcel_id = 3 => none",
                "select nullif(service, 'express') from parcels where parcel_id in (1, 2) => / standard",
                "select cast(price as int), cast(weight_g as text) || 'g', cast('7' as long) + 1 from parcels where parcel_id = 1 => 5 | 500g | 8",
                "select try_cast(service as int) from parcels where parcel_id = 1 => ",
                "select upper(name), length(name) from shippers where shipper_id = 20 => GARNE & SÖHNE, ALTMÜHLE | 23",
                "select substring(name from 1 for 3) from shippers where shipper_id = 30 => Tee",
                "select posted_on - date '2031-03-01' as days from parcels where parcel_id = 6 => 14",
                "select true and null is null, null = null, 1 in (2, 3) => true | | false",
                "select 7 / 2, 7 % 2, -7 / 2, 7 / 2.0, 7e0 / 2 => 3 | 1 | -3 | 3.5 | 3.5",
                "select 0.1 + 0.2 = 0.3, 1.10 * 2 => true | 2.20",
                "select greatest(1, 2), least('a', 'b'), abs(-2.5), round(2.567, 1) => 2 | a | 2.5 | 2.6",
                "select timestamp '2031-03-01 10:00:00' + interval '90' minute, date '2031-03-31' - interval '1' month => 2031-03-01 11:30:00 | 2031-02-28",
                "select \"parcel_id\" from \"parcels\" where \"PARCEL_ID\" = 1 -- a remark => 1",
            })
    void aQueryGivesItsAnswer(String sql, String expected) {
        Table table = engine.sql(sql).fetch();
        List<String> rows = new ArrayList<>(
                table.rows().stream().map(r -> r.toString().strip()).toList());
        List<String> wanted = new ArrayList<>();
        if (expected != null || table.size() > 0) {
            for (String row : (expected == null ? "" : expected).split(" ?/ ?", -1)) {
                wanted.add(row.strip().replaceAll(" *\\| *", " | ").strip());
            }
        }
        rows.replaceAll(r -> r.replaceAll(" *\\| *", " | ").strip());
        if (!sql.contains("order by")) {
            Collections.sort(rows);
            Collections.sort(wanted);
        }
        assertEquals(wanted, rows, sql);
    }
}
